import fs from 'node:fs/promises';
import path from 'node:path';
import { FileProblem } from '@tawny/formats';
import { parseRig, type Rig } from '@tawny/pipeline';

/** A rig from its file. @throws FileProblem naming the file and the field */
export async function readRig(file: string): Promise<Rig> {
  const name = path.basename(file);
  const text = await fs.readFile(file, 'utf8').catch(() => {
    throw new FileProblem(
      'unsupported',
      name,
      'there is no such rig file; state the rig with --rig FILE: {"projection","fovDeg","views"}',
    );
  });
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch (error) {
    throw new FileProblem('unsupported', name, `is not JSON (${(error as Error).message})`);
  }
  return parseRig(value, name);
}
