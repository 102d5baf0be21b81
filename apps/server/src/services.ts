import type { Db } from './db/dataSource';
import type { Decoder } from './decode/tasks';
import type { Arriving } from './files/arriving';
import type { FileStore } from './files/store';
import type { Uploads } from './files/uploads';

/** What route handlers work with. */
export interface Services {
  db: Db;
  files: FileStore;
  arriving: Arriving;
  uploads: Uploads;
  decoder: Decoder;
}
