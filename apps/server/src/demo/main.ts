import { DateTime } from 'luxon';
import { readConfig } from '../config';
import { openDatabase } from '../db/dataSource';
import { seedDemo } from './seed';

const date = process.env.TAWNY_DEMO_DATE ?? DateTime.now().setZone('Europe/London').toISODate()!;
const db = await openDatabase(readConfig().databaseUrl);
process.stderr.write((await seedDemo(db, date)) ? `Demo data for ${date} written\n` : 'Demo data is there\n');
await db.destroy();
