import type { Server } from 'node:http';

/** How often it is asked whether a connection has nothing under way any more. */
const LOOK_MS = 20;

/**
 * Takes no more requests and waits until those under way are answered, so that what they stand on may be closed.
 * @param graceMs who is not answered by then is cut off: a sender that is slow goes on with its pieces later
 */
export async function finishAnswers(server: Server, graceMs: number): Promise<void> {
  // An answer that ends now leaves its connection open for the next request: there is none.
  const looking = setInterval(() => server.closeIdleConnections(), LOOK_MS);
  const late = setTimeout(() => server.closeAllConnections(), graceMs);
  await new Promise<void>((resolve) => server.close(() => resolve()));
  clearInterval(looking);
  clearTimeout(late);
}
