import { randomUUID } from 'node:crypto';
import fs from 'node:fs';
import net from 'node:net';
import path from 'node:path';
import { CLIENT } from './api';

/** A multipart body as bytes, so that it can be broken anywhere. */
export function multipart(files: readonly { field?: string; name: string; bytes: Buffer }[]): {
  type: string;
  body: Buffer;
} {
  const boundary = `----tawny${randomUUID()}`;
  const parts = files.flatMap(({ field = 'frames', name, bytes }) => [
    Buffer.from(
      `--${boundary}\r\nContent-Disposition: form-data; name="${field}"; filename="${name}"\r\nContent-Type: image/jpeg\r\n\r\n`,
    ),
    bytes,
    Buffer.from('\r\n'),
  ]);
  return {
    type: `multipart/form-data; boundary=${boundary}`,
    body: Buffer.concat([...parts, Buffer.from(`--${boundary}--\r\n`)]),
  };
}

export interface Sending {
  base: string;
  method?: 'POST' | 'PATCH';
  path: string;
  type: string;
  /** What is said about the length; what is sent may be less. */
  length: number;
  body: Buffer;
  /** How the sending ends: the line is closed, cut with a reset, or left open and silent. */
  end: 'close' | 'reset' | 'silence';
  /** Bytes at a time and the pause between, for slow senders. */
  pace?: { bytes: number; ms: number };
  headers?: Record<string, string>;
}

/** Sends bytes to the server as they are and returns what it says until it closes the line or `mostMs` have passed. */
export async function sendRaw(sending: Sending, mostMs = 15000): Promise<string> {
  const { hostname, port } = new URL(sending.base);
  const socket = net.connect(Number(port), hostname);
  let heard = '';
  socket.setEncoding('latin1');
  socket.on('data', (text: string) => (heard += text));
  const closed = new Promise<void>((resolve) => {
    socket.once('close', () => resolve());
    socket.once('error', () => resolve());
  });
  await new Promise<void>((resolve, reject) => socket.once('connect', resolve).once('error', reject));
  const headers = {
    Host: `${hostname}:${port}`,
    'Content-Type': sending.type,
    'Content-Length': String(sending.length),
    Connection: 'close',
    ...CLIENT,
    ...sending.headers,
  };
  socket.write(
    `${sending.method ?? 'POST'} ${sending.path} HTTP/1.1\r\n${Object.entries(headers)
      .map(([k, v]) => `${k}: ${v}\r\n`)
      .join('')}\r\n`,
  );
  const { bytes, ms } = sending.pace ?? { bytes: Math.max(1, sending.body.length), ms: 0 };
  for (let at = 0; at < sending.body.length && !socket.destroyed; at += bytes) {
    socket.write(sending.body.subarray(at, at + bytes));
    if (ms > 0) await new Promise((r) => setTimeout(r, ms));
  }
  if (sending.end === 'reset') {
    await new Promise((r) => setTimeout(r, 20));
    socket.resetAndDestroy();
  } else if (sending.end === 'close') socket.end();
  await Promise.race([closed, new Promise((r) => setTimeout(r, mostMs))]);
  socket.destroy();
  return heard;
}

/** Files of the store that a process holds open, and those that wait in it to be kept. */
export function heldBy(pid: number, store: string): { open: string[]; waiting: string[] } {
  const open = fs.readdirSync(`/proc/${pid}/fd`).flatMap((fd) => {
    try {
      const at = fs.readlinkSync(`/proc/${pid}/fd/${fd}`);
      return at.startsWith(store) ? [at] : [];
    } catch {
      return [];
    }
  });
  const incoming = path.join(store, 'incoming');
  return { open, waiting: fs.existsSync(incoming) ? fs.readdirSync(incoming) : [] };
}
