import type { Take } from '@tawny/contract';
import type { Queries } from '../db/dataSource';
import { Takes, type Owned } from '../db/entities';

/** Few enough that reading and writing them holds up nobody else for long. */
const PAGE = 250;
const ORDER = ['shot_at', 'camera', 'id'];
const key = (alias: string) => ORDER.map((c) => `${alias}.${c}`).join(', ');

/** Takes of some setups, oldest first, page by page: however many there are, few are held at a time and others get their turn in between. */
export async function* takePages(
  db: Queries,
  productionId: string,
  setupIds: readonly string[],
): AsyncGenerator<Owned<Take>[]> {
  if (setupIds.length === 0) return;
  let last: Owned<Take> | undefined;
  do {
    const query = db
      .getRepository(Takes)
      .createQueryBuilder('t')
      .where('t.production_id = :productionId AND t.setup_id IN (:...setupIds)', { productionId, setupIds })
      .orderBy({ 't.shotAt': 'ASC', 't.camera': 'ASC', 't.id': 'ASC' })
      .limit(PAGE);
    if (last) query.andWhere(`(${key('t')}) > (SELECT ${key('l')} FROM takes l WHERE l.id = :last)`, { last: last.id });
    const page = await query.getMany();
    if (page.length > 0) yield page;
    last = page.length < PAGE ? undefined : page[page.length - 1];
    await new Promise((r) => setImmediate(r));
  } while (last);
}
