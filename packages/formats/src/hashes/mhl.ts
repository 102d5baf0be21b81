import { createHash } from 'node:crypto';
import { create } from 'xmlbuilder2';
import { c4Id } from './c4';

export interface HashedFile {
  /** Relative to the package's root, forward slashes. */
  path: string;
  bytes: Uint8Array;
}

export interface MhlPair {
  manifestName: string;
  manifest: string;
  chain: string;
}

/** An ASC MHL v2.0 manifest (SHA-1 per file) of a new package and its chain file, first generation. */
export function writeMhl(
  rootName: string,
  files: readonly HashedFile[],
  at: Date,
  tool: { name: string; version: string },
): MhlPair {
  const stamp = at.toISOString().replace(/\.\d+Z$/, 'Z');
  const list = create({ version: '1.0', encoding: 'UTF-8' }).ele('urn:ASC:MHL:v2.0', 'hashlist', { version: '2.0' });
  const creator = list.ele('creatorinfo');
  creator.ele('creationdate').txt(stamp);
  creator.ele('tool', { version: tool.version }).txt(tool.name);
  list.ele('processinfo').ele('process').txt('in-place');
  const hashes = list.ele('hashes');
  for (const file of [...files].sort((a, b) => a.path.localeCompare(b.path, 'en'))) {
    const hash = hashes.ele('hash');
    hash.ele('path', { size: String(file.bytes.length), lastmodificationdate: stamp }).txt(file.path);
    hash.ele('sha1', { action: 'original', hashdate: stamp }).txt(createHash('sha1').update(file.bytes).digest('hex'));
  }
  const manifest = list.end({ prettyPrint: true });
  const manifestName = `0001_${rootName}_${stamp.slice(0, 10)}_${stamp.slice(11, 19).replace(/:/g, '')}Z.mhl`;
  const chainRoot = create({ version: '1.0', encoding: 'UTF-8' }).ele('urn:ASC:MHL:DIRECTORY:v2.0', 'ascmhldirectory');
  const entry = chainRoot.ele('hashlist', { sequencenr: '1' });
  entry.ele('path').txt(manifestName);
  entry.ele('c4').txt(c4Id(Buffer.from(manifest, 'utf8')));
  return { manifestName, manifest, chain: chainRoot.end({ prettyPrint: true }) };
}
