import fs from 'node:fs/promises';
import path from 'node:path';

interface OnDisk {
  name: string;
  path: string;
}

/** A frame that says of itself what one file says and shows what another shows: the picture of one behind the metadata of the other (the Exif segment is of one size in all frames of a round). */
export async function pictureBehind(metadata: OnDisk, picture: OnDisk): Promise<OnDisk> {
  const [told, shown] = await Promise.all([metadata, picture].map((f) => fs.readFile(f.path)));
  const end = 4 + told.readUInt16BE(4);
  const made = { name: metadata.name, path: path.join(path.dirname(metadata.path), `shows_${picture.name}`) };
  await fs.writeFile(made.path, Buffer.concat([told.subarray(0, end), shown.subarray(end)]));
  return made;
}
