import { writeCsv } from '@tawny/formats';
import { readableProduction } from '../access/readableProduction';
import type { Handlers } from '../http/handler';
import { notFound } from '../problems';
import { copyKit, fieldsOf, importKit, kitOf, offered } from './exchange';
import { KINDS } from './kinds';

/** Kit in and out, and from another production. */
export const kitOperations: Handlers<'kit'> = {
  export: async ({ tx, production }) => {
    const kit = Object.fromEntries(
      await Promise.all(KINDS.map(async (k) => [k.name, (await kitOf(tx, production.id, k)).map(fieldsOf)] as const)),
    );
    return {
      content: { bytes: JSON.stringify({ production: production.code, kit }) },
      type: 'application/json',
      name: `${production.code.toLowerCase()}_kit.json`,
    };
  },
  csv: async ({ tx, production, params }) => {
    const k = KINDS.find((x) => x.name === params.kind);
    if (!k) throw notFound('kind of kit');
    const rows = (await kitOf(tx, production.id, k)).map(fieldsOf);
    const columns = Object.keys(k.input.shape).filter((c) => c !== 'id');
    const cell = (v: unknown) =>
      v === null || v === undefined ? null : typeof v === 'object' ? JSON.stringify(v) : (v as string | number);
    return {
      content: {
        bytes: writeCsv(
          columns,
          rows.map((r) => columns.map((c) => cell(r[c]))),
        ),
      },
      type: 'text/csv',
      name: `${production.code.toLowerCase()}_${k.name}.csv`,
    };
  },
  import: async ({ tx, production, body }) => {
    const items = offered(Buffer.from(body.contentBase64, 'base64'), body.fileName, body.kind);
    return importKit(tx, production.id, items, body);
  },
  copy: async ({ tx, production, user, body }) => {
    const source = await readableProduction(tx, user, body.from);
    return copyKit(tx, source.id, production.id);
  },
};
