/** A file that cannot be used, with a stable code, the file's name and what to do about it. */
export class FileProblem extends Error {
  constructor(
    readonly code:
      'not-an-image' | 'damaged-image' | 'too-small' | 'too-large' | 'unsupported' | 'empty-file' | 'no-decoding',
    readonly file: string,
    /** The message without the file's name. */
    readonly detail: string,
  ) {
    super(`${file}: ${detail}`);
    this.name = 'FileProblem';
  }
}
