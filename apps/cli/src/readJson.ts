import fs from 'node:fs/promises';
import path from 'node:path';
import type { z } from 'zod';
import { FileProblem } from '@tawny/formats';

/** An input file of a verb. @throws FileProblem naming the file and the field, unknown keys included */
export async function readJson<T extends z.ZodType>(file: string, schema: T): Promise<z.output<T>> {
  const name = path.basename(file);
  const bad = (words: string) => new FileProblem('unsupported', name, words);
  const text = await fs.readFile(file, 'utf8').catch(() => {
    throw bad('there is no such file');
  });
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch (error) {
    throw bad(`is not JSON (${(error as Error).message})`);
  }
  const parsed = schema.safeParse(value);
  if (parsed.success) return parsed.data;
  const words = parsed.error.issues.slice(0, 3).map((issue) => {
    const at = issue.path.map(String).join('.');
    const said = issue.code === 'unrecognized_keys' ? `unknown key ${issue.keys.join(', ')}` : issue.message;
    return at === '' ? said : `${at}: ${said}`;
  });
  throw bad(words.join('; '));
}
