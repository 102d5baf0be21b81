import type { Db } from './db/dataSource';
import type { Decoder } from './decode/tasks';
import type { FileStore } from './files/store';

/** What route handlers work with. */
export interface Services {
  db: Db;
  files: FileStore;
  decoder: Decoder;
}
