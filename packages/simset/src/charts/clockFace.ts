/** Which of the seven bars (top, upper left, upper right, middle, lower left, lower right, bottom) a digit lights. */
const BARS: Record<string, string> = {
  '0': '1110111',
  '1': '0010010',
  '2': '1011101',
  '3': '1011011',
  '4': '0111010',
  '5': '1101011',
  '6': '1101111',
  '7': '1010010',
  '8': '1111111',
  '9': '1111011',
};

/**
 * A digital clock on grey cloth, as somebody photographs it to tie a camera's clock to true time.
 * @param text digits and colons, such as 15:31:04
 * @returns interleaved 8-bit RGB codes
 * @throws RangeError for other characters
 */
export function drawClock(text: string, width: number, height: number): Uint8Array {
  if (!/^[\d:]{1,12}$/.test(text)) throw new RangeError(`a clock shows digits and colons, not ${text}`);
  const out = new Uint8Array(width * height * 3);
  for (let i = 0; i < width * height; i++) {
    const weave = ((i % width) + Math.floor(i / width)) % 7 < 3 ? 6 : 0;
    for (let c = 0; c < 3; c++) out[3 * i + c] = 96 + weave;
  }
  const box = (x0: number, y0: number, x1: number, y1: number, colour: readonly [number, number, number]) => {
    for (let y = Math.max(0, Math.round(y0)); y < Math.min(height, Math.round(y1)); y++) {
      for (let x = Math.max(0, Math.round(x0)); x < Math.min(width, Math.round(x1)); x++)
        for (let c = 0; c < 3; c++) out[3 * (y * width + x) + c] = colour[c];
    }
  };
  const cell = (0.8 * width) / text.length;
  const tall = Math.min(1.7 * cell, 0.5 * height);
  const left = 0.1 * width;
  const top = (height - tall) / 2;
  const bar = 0.12 * cell;
  box(left - cell / 2, top - cell / 2, width - left + cell / 2, top + tall + cell / 2, [16, 16, 18]);
  const lit = [236, 150, 40] as const;
  [...text].forEach((character, i) => {
    const x0 = left + (i + 0.12) * cell;
    const x1 = left + (i + 0.88) * cell;
    const middle = top + tall / 2;
    if (character === ':') {
      for (const y of [top + tall * 0.3, top + tall * 0.7])
        box((x0 + x1) / 2 - bar / 2, y - bar / 2, (x0 + x1) / 2 + bar / 2, y + bar / 2, lit);
      return;
    }
    const places: [number, number, number, number][] = [
      [x0, top, x1, top + bar],
      [x0, top, x0 + bar, middle],
      [x1 - bar, top, x1, middle],
      [x0, middle - bar / 2, x1, middle + bar / 2],
      [x0, middle, x0 + bar, top + tall],
      [x1 - bar, middle, x1, top + tall],
      [x0, top + tall - bar, x1, top + tall],
    ];
    places.forEach((p, k) => BARS[character][k] === '1' && box(...p, lit));
  });
  return out;
}
