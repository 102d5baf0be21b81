import { linearToSrgb, mergeBracket, type BracketFrame } from '../src';
import { random } from './support/random';

const [W, H] = [80, 60];
const EXPOSURES = [4, 1, 0.25];

/** A bracket of an even look; `inside` says what stands in the middle in each frame. */
function bracket(inside: readonly number[], noise = 0): BracketFrame[] {
  const next = random(9);
  return EXPOSURES.map((exposure, k) => {
    const codes = new Uint8Array(3 * W * H);
    for (let p = 0; p < W * H; p++) {
      const [x, y] = [p % W, Math.floor(p / W)];
      const light = x >= 24 && x < 56 && y >= 16 && y < 44 ? inside[k] : 0.12;
      for (let c = 0; c < 3; c++)
        codes[3 * p + c] = Math.round(
          255 * linearToSrgb(Math.max(0, Math.min(1, light * exposure * (1 + noise * next.normal())))),
        );
    }
    return { codes, exposure };
  });
}

const share = (moved: Uint8Array) => moved.reduce((a, b) => a + b, 0) / moved.length;
const merge = (frames: BracketFrame[], moved: boolean | number) =>
  mergeBracket(frames, { width: W, height: H, curve: 'srgb', moved });
const BLOCK = (32 * 28) / (W * H);

describe('what moved within a bracket', () => {
  test('how much frames must differ is in the hand of whoever merges', () => {
    // Half a stop darker in one frame.
    const frames = bracket([0.12 / Math.SQRT2, 0.12, 0.12]);
    expect(share(merge(frames, 0.3).moved!)).toBeGreaterThan(0.9 * BLOCK);
    expect(share(merge(frames, 0.8).moved!)).toBe(0);
    expect(share(merge(frames, true).moved!)).toBeGreaterThan(0.9 * BLOCK);
    expect(merge(frames, false).moved).toBeNull();
  });
  test('the frame that most others agree with stands', () => {
    for (const odd of [0, 1, 2]) {
      const inside = [0.12, 0.12, 0.12].map((v, k) => (k === odd ? 0.04 : v));
      const merged = merge(bracket(inside), true);
      expect(merged.image.data[3 * (30 * W + 40) + 1]).toBeCloseTo(0.12, 2);
    }
  });
  test('noise does not move', () => {
    const merged = merge(bracket([0.12, 0.12, 0.12], 0.05), true);
    expect(share(merged.moved!)).toBeLessThan(0.002);
  });
  test('a coding that is off by three codes over a dark place of one frame does not move it; a stop does', () => {
    // As blocks of a JPEG beside something bright; in the shadows a code is a fifth of the light.
    const frames = bracket([0.004, 0.004, 0.004]);
    const off = frames.map((f, k) => (k === 1 ? { ...f, codes: f.codes.map((c) => (c < 20 ? c + 3 : c)) as Uint8Array } : f)); // prettier-ignore
    expect(share(merge(off, true).moved!)).toBe(0);
    expect(share(merge(bracket([0.06, 0.03, 0.06]), true).moved!)).toBeGreaterThan(0.9 * BLOCK);
  });
  test('a texture of which frames lose the brightest or the darkest pixels has not moved', () => {
    // One pixel of four is ten times as bright: cut off in the longest frame, all that the shortest holds well.
    const frames = EXPOSURES.map((exposure) => {
      const codes = new Uint8Array(3 * W * H);
      for (let p = 0; p < W * H; p++) {
        const light = (p % W) % 2 === 0 && Math.floor(p / W) % 2 === 0 ? 0.4 : 0.04;
        codes.fill(Math.round(255 * linearToSrgb(Math.min(1, light * exposure))), 3 * p, 3 * p + 3);
      }
      return { codes, exposure };
    });
    expect(share(merge(frames, true).moved!)).toBe(0);
  });
  test('two frames cannot outvote each other: nothing is taken out of a bracket of two', () => {
    const frames = bracket([0.04, 0.12, 0.12]).slice(0, 2);
    expect(merge(frames, true).moved).toBeNull();
  });
  test('a frame that cuts the place off does not contradict', () => {
    // Bright enough to clip in the longest frame: there only two are left to compare, and they agree.
    const merged = merge(bracket([0.5, 0.5, 0.5]), true);
    expect(share(merged.moved!)).toBe(0);
    expect(merged.image.data[3 * (30 * W + 40)]).toBeCloseTo(0.5, 1);
  });
});
