import { once } from 'node:events';
import http from 'node:http';
import type { AddressInfo } from 'node:net';
import { setTimeout as later } from 'node:timers/promises';
import { finishAnswers } from '../src/http/finish';

let server: http.Server;
const agent = new http.Agent({ keepAlive: true });

/** A server that answers after a while (null: never), over connections that stay open. */
async function serve(answerMs: number | null): Promise<void> {
  server = http.createServer((_req, res) => {
    if (answerMs !== null) void later(answerMs).then(() => res.end('answered'));
  });
  server.keepAliveTimeout = 65_000;
  server.listen(0, '127.0.0.1');
  await once(server, 'listening');
}

/** What the server answers. */
async function ask(): Promise<string> {
  const { port } = server.address() as AddressInfo;
  const request = http.get({ port, host: '127.0.0.1', agent });
  const [response] = (await once(request, 'response')) as [http.IncomingMessage];
  let text = '';
  for await (const piece of response) text += String(piece);
  return text;
}

afterEach(() => server.closeAllConnections());

test('what is being answered is answered before the server ends', async () => {
  await serve(200);
  const [answer] = [ask(), await once(server, 'request')];
  const began = Date.now();
  await finishAnswers(server, 5000);
  expect(await answer).toBe('answered');
  // Its connection would have stayed open for a minute.
  expect(Date.now() - began).toBeLessThan(2000);
  await expect(ask()).rejects.toThrow();
});

test('a connection without a question holds nothing up', async () => {
  await serve(0);
  expect(await ask()).toBe('answered');
  const began = Date.now();
  await finishAnswers(server, 5000);
  expect(Date.now() - began).toBeLessThan(1000);
});

test('who is not answered in time is cut off', async () => {
  await serve(null);
  const [answer] = [ask(), await once(server, 'request')];
  const refused = expect(answer).rejects.toThrow();
  await finishAnswers(server, 100);
  await refused;
});
