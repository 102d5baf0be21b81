import type { DataSource } from 'typeorm';
import type PgBoss from 'pg-boss';
import type { FileStore } from './files/store';

/** What route handlers work with. */
export interface Services {
  db: DataSource;
  boss: PgBoss;
  files: FileStore;
}
