/** Every kind of picture that is read here, camera raw and OpenEXR included: browsers count only some of them as pictures. */
export const PICTURE_FILES =
  'image/*,.jpg,.jpeg,.png,.tif,.tiff,.exr,.hdr,.dng,.cr2,.cr3,.nef,.nrw,.arw,.raf,.rw2,.orf,.pef,.srw,.3fr,.iiq';

/** Opens the browser's own file chooser. Resolves with nothing when it is dismissed. */
export function pickFiles(options: { accept?: string; multiple?: boolean; capture?: boolean } = {}): Promise<File[]> {
  return new Promise((resolve) => {
    const input = document.createElement('input');
    input.type = 'file';
    input.accept = options.accept ?? '';
    input.multiple = options.multiple ?? false;
    if (options.capture) input.setAttribute('capture', 'environment');
    const done = (files: File[]) => {
      input.remove();
      resolve(files);
    };
    input.onchange = () => done([...(input.files ?? [])]);
    input.oncancel = () => done([]);
    // One that hangs nowhere may be collected while somebody still looks for the file: what is chosen then reaches nobody.
    input.hidden = true;
    document.body.append(input);
    input.click();
  });
}

/** Lets the browser save something from an address of ours. */
export function saveFrom(url: string): void {
  const link = document.createElement('a');
  link.href = url;
  link.download = '';
  link.click();
}
