import { z } from 'zod';
import { API_BASE, OPERATIONS, problemSchema, type Operation } from '@tawny/contract';

/** A schema for OpenAPI; what travels as text is described as it is written. */
function schemaOf(schema: z.ZodType, io: 'input' | 'output'): object {
  const { $schema: _draft, ...rest } = z.toJSONSchema(schema, { io, unrepresentable: 'any' }) as Record<
    string,
    unknown
  >;
  return rest;
}

const parameterNames = (path: string) => [...path.matchAll(/:([a-zA-Z]+)/g)].map((m) => m[1]);

function parametersOf({ path, query }: Operation): object[] {
  const shape = (schemaOf(query, 'input') as { properties?: Record<string, object>; required?: string[] }) ?? {};
  return [
    ...parameterNames(path).map((name) => ({ name, in: 'path', required: true, schema: { type: 'string' } })),
    ...Object.entries(shape.properties ?? {}).map(([name, schema]) => ({
      name,
      in: 'query',
      required: shape.required?.includes(name) ?? false,
      schema,
    })),
  ];
}

function bodyOf({ takes, body }: Operation): object | undefined {
  if (takes === 'nothing') return undefined;
  const content =
    takes === 'json'
      ? { 'application/json': { schema: schemaOf(body, 'input') } }
      : {
          'multipart/form-data': {
            schema: { type: 'object', additionalProperties: { type: 'string', format: 'binary' } },
          },
        };
  return { required: true, content };
}

/** The API as OpenAPI 3.1, made from its table. */
export function openApi(): object {
  const paths: Record<string, Record<string, object>> = {};
  for (const { name, operation } of OPERATIONS) {
    const path = operation.path.replace(/:([a-zA-Z]+)/g, '{$1}');
    const header = {
      name: 'Idempotency-Key',
      in: 'header',
      required: true,
      schema: { type: 'string', maxLength: 200 },
    };
    (paths[path] ??= {})[operation.method.toLowerCase()] = {
      operationId: name,
      summary: operation.does,
      tags: [name.split('.')[0]],
      parameters: [...parametersOf(operation), ...(operation.keyed ? [header] : [])],
      requestBody: bodyOf(operation),
      responses: {
        [operation.status]: {
          description: 'Done',
          content:
            operation.gives === 'file'
              ? { 'application/octet-stream': {} }
              : { 'application/json': { schema: schemaOf(operation.answer, 'output') } },
        },
        default: {
          description: 'A problem document (RFC 9457) that names the field or file',
          content: { 'application/problem+json': { schema: schemaOf(problemSchema, 'output') } },
        },
      },
    };
  }
  const shared = shareSchemas(paths);
  return {
    openapi: '3.1.0',
    info: { title: 'Tawny Sunset', version: '1' },
    servers: [{ url: API_BASE }],
    paths: shared.value,
    components: { schemas: shared.schemas },
  };
}

/** Shapes of at least this many characters that stand in several places are said once. */
const WORTH_SHARING = 300;

/** Takes schemas that stand in several places out of a document, and refers to them. */
function shareSchemas(document: unknown): { value: unknown; schemas: Record<string, unknown> } {
  const isSchema = (node: object) => 'type' in node || 'anyOf' in node;
  const seen = new Map<string, number>();
  const count = (node: unknown): void => {
    if (typeof node !== 'object' || node === null) return;
    const text = JSON.stringify(node);
    if (!Array.isArray(node) && isSchema(node) && text.length >= WORTH_SHARING)
      seen.set(text, (seen.get(text) ?? 0) + 1);
    Object.values(node).forEach(count);
  };
  count(document);
  const schemas: Record<string, unknown> = {};
  const names = new Map<string, string>();
  const replace = (node: unknown, name: string): unknown => {
    if (typeof node !== 'object' || node === null) return node;
    if (Array.isArray(node)) return node.map((n, i) => replace(n, `${name}${i || ''}`));
    const own = (node as { operationId?: string }).operationId ?? name;
    const inner = () =>
      Object.fromEntries(Object.entries(node).map(([k, v]) => [k, replace(v, k === 'items' ? `${own}Item` : own)]));
    const text = JSON.stringify(node);
    if ((seen.get(text) ?? 0) < 2) return inner();
    if (!names.has(text)) {
      const base = own.replace(/[^A-Za-z]/g, '');
      let free = base;
      for (let k = 2; free in schemas; k++) free = `${base}${k}`;
      names.set(text, free);
      schemas[free] = null;
      schemas[free] = inner();
    }
    return { $ref: `#/components/schemas/${names.get(text)}` };
  };
  return { value: replace(document, 'shared'), schemas };
}

/** `docs/api.md`: a line an operation. */
export function apiPage(): string {
  const lines = [
    '# The API',
    '',
    `Written by \`npm run api-docs\` from the table in \`packages/contract/src/api.ts\`; do not edit. Paths stand below \`${API_BASE}\`.`,
    'Every write says what program sends it (`Tawny-Client: name`), which a page of another site cannot. Writes carry an `Idempotency-Key`; a write that is sent twice with one key, also at the same time, is done once. Changes and removals name the version that was seen.',
    'Where files are taken they are parts of a form (multipart/form-data). A large one may come in pieces before, by tus 1.0 at `/productions/:production/arriving`; the form then has a part `arrived` that names it: `{ "field": "frames", "name": "a.tif", "id": "..." }`.',
    'Lists are paged: `limit` and `after`, the `next` of the page before. Errors are problem documents (RFC 9457). The schemas are in [openapi.json](openapi.json).',
  ];
  let resource = '';
  for (const { name, operation } of OPERATIONS) {
    const [of] = name.split('.');
    if (of !== resource) {
      lines.push('', `## ${of}`, '', '| operation | request | takes | right |', '| --- | --- | --- | --- |');
      resource = of;
    }
    const takes = { nothing: '', json: 'JSON', files: 'files' }[operation.takes];
    lines.push(`| ${operation.does} | \`${operation.method} ${operation.path}\` | ${takes} | ${operation.right} |`);
  }
  return `${lines.join('\n')}\n`;
}

/** Files below `docs/` with what they hold. */
export const apiFiles = (): [string, string][] => [
  ['api.md', apiPage()],
  ['openapi.json', `${JSON.stringify(openApi())}\n`],
];
