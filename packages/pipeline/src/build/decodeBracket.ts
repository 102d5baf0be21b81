import { decodeFrame, FileProblem, type DecodedFrame } from '@tawny/formats';

/** Decodes the frames of a bracket one after the other; they must be of one size and depth. @throws FileProblem naming the odd one */
export async function decodeBracket<F extends { path: string; name: string }>(
  frames: readonly F[],
  width: number,
  height: number,
): Promise<(F & DecodedFrame)[]> {
  const out: (F & DecodedFrame)[] = [];
  for (const f of frames) {
    const decoded = await decodeFrame(f.path, f.name);
    if (decoded.width !== width || decoded.height !== height) {
      throw new FileProblem(
        'unsupported',
        f.name,
        `is ${decoded.width} x ${decoded.height} pixels, the round ${width} x ${height}`,
      );
    }
    if (out.length > 0 && out[0].bits !== decoded.bits)
      throw new FileProblem(
        'unsupported',
        f.name,
        `has ${decoded.bits} bits, ${out[0].name} ${out[0].bits}: frames of one view come from one kind of file`,
      );
    out.push({ ...f, ...decoded });
  }
  return out;
}
