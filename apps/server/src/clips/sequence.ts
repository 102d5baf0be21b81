import { FileProblem } from '@tawny/formats';

export interface SequenceFile {
  name: string;
  number: number;
}

/** Numbers the files of an image sequence by the last digits of their names. @throws FileProblem for a name without a number or two with the same */
export function numberSequence(names: readonly string[]): SequenceFile[] {
  const files = names
    .map((name) => {
      const m = name.match(/(\d+)(?=\.[^.]+$)/);
      if (!m)
        throw new FileProblem('unsupported', name, 'has no frame number before its ending, such as plate.1001.tif');
      return { name, number: Number(m[1]) };
    })
    .sort((a, b) => a.number - b.number);
  const twice = files.find((f, i) => i > 0 && files[i - 1].number === f.number);
  if (twice) throw new FileProblem('unsupported', twice.name, `frame ${twice.number} is there twice`);
  return files;
}

/** Frame numbers that are missing between the first and the last, as ranges in words. */
export function holesOf(files: readonly SequenceFile[]): string[] {
  const out: string[] = [];
  for (let i = 1; i < files.length; i++) {
    const [a, b] = [files[i - 1].number + 1, files[i].number - 1];
    if (a === b) out.push(String(a));
    else if (a < b) out.push(`${a} to ${b}`);
  }
  return out;
}
