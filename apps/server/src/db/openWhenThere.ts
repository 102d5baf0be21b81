import type { DataSource } from 'typeorm';
import type { Logger } from 'pino';
import { databaseAway } from '../problems';
import { openDatabase } from './dataSource';

const PAUSE_MS = 1000;
const LONGEST_MS = 120_000;

/** Opens the database, waiting a while for one that is just being started. @throws what it says when it stays away, or is wrong */
export async function openWhenThere(url: string, log: Logger): Promise<DataSource> {
  const until = Date.now() + LONGEST_MS;
  for (;;) {
    try {
      return await openDatabase(url);
    } catch (error) {
      if (!databaseAway(error) || Date.now() > until) throw error;
      log.warn('the database does not answer yet; trying again');
      await new Promise((r) => setTimeout(r, PAUSE_MS));
    }
  }
}
