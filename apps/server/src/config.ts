import path from 'node:path';
import { WHOLE_MOST_PX } from '@tawny/pipeline';

/** Everything that differs between machines comes from the environment, checked once at the start. */
export interface Config {
  databaseUrl: string;
  port: number;
  /** Where it listens: this machine alone unless something else is stated. */
  address: string;
  /** Names under which others reach it, without port; the machine's own are known. */
  hosts: string[];
  filesFolder: string;
  /** Built interface to serve, or null for the API alone. */
  webFolder: string | null;
  logLevel: string;
  /** How long a sender may be silent before it is cut off, milliseconds. */
  silentMs: number;
  /** How long a worker may be silent before its job is given to another, milliseconds. */
  leaseMs: number;
  /** Panoramas wider than this are held whole at this width and written strip by strip. */
  wholeMostPx: number;
}

function required(name: string): string {
  const value = process.env[name];
  if (!value) throw new Error(`the environment variable ${name} is not set; start the server with "npm run demo"`);
  return value;
}

export function readConfig(): Config {
  const port = Number(process.env.TAWNY_PORT ?? 8080);
  if (!Number.isInteger(port) || port < 0 || port > 65535)
    throw new Error(`TAWNY_PORT is not a port: ${process.env.TAWNY_PORT}`);
  const leaseMs = Number(process.env.TAWNY_LEASE_MS ?? 20000);
  if (!(leaseMs >= 1000))
    throw new Error(`TAWNY_LEASE_MS is no time of 1000 ms or more: ${process.env.TAWNY_LEASE_MS}`);
  const silentMs = Number(process.env.TAWNY_SILENT_MS ?? 60000);
  if (!(silentMs >= 1000))
    throw new Error(`TAWNY_SILENT_MS is no time of 1000 ms or more: ${process.env.TAWNY_SILENT_MS}`);
  const wholeMostPx = Number(process.env.TAWNY_WHOLE_PX ?? WHOLE_MOST_PX);
  if (!(wholeMostPx >= 512 && wholeMostPx % 2 === 0))
    throw new Error(`TAWNY_WHOLE_PX is no even width of 512 or more: ${process.env.TAWNY_WHOLE_PX}`);
  return {
    databaseUrl: required('TAWNY_DATABASE_URL'),
    port,
    address: process.env.TAWNY_ADDRESS ?? '127.0.0.1',
    hosts: (process.env.TAWNY_HOSTS ?? '').split(',').filter(Boolean),
    filesFolder: path.resolve(required('TAWNY_FILES')),
    webFolder: process.env.TAWNY_WEB ? path.resolve(process.env.TAWNY_WEB) : null,
    logLevel: process.env.TAWNY_LOG ?? 'info',
    silentMs,
    leaseMs,
    wholeMostPx,
  };
}
