import { DAYLIGHT, LAMPLIGHT, type Palette } from '../tokens';

const channel = (v: number) => (v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4);
const luminance = (hex: string) =>
  [1, 3, 5]
    .map((i) => channel(parseInt(hex.slice(i, i + 2), 16) / 255))
    .reduce((s, v, i) => s + v * [0.2126, 0.7152, 0.0722][i], 0);
const contrast = (a: string, b: string) => {
  const [high, low] = [luminance(a), luminance(b)].sort((x, y) => y - x);
  return (high + 0.05) / (low + 0.05);
};

describe.each([
  ['daylight', DAYLIGHT],
  ['lamplight', LAMPLIGHT],
] as [string, Palette][])('%s', (_name, p) => {
  test.each(['ink', 'quietInk', 'tawny', 'tide', 'madder', 'ochre'] as const)(
    '%s can be read on both grounds',
    (tone) => {
      expect(contrast(p[tone], p.ground)).toBeGreaterThanOrEqual(4.5);
      expect(contrast(p[tone], p.raised)).toBeGreaterThanOrEqual(4.5);
    },
  );
  test('words on a button and beside a picture', () => {
    expect(contrast(p.onTawny, p.tawny)).toBeGreaterThanOrEqual(4.5);
    expect(contrast(p.onSurround, p.surround)).toBeGreaterThanOrEqual(4.5);
  });
  test('pictures stand on neutral grey', () =>
    expect(new Set([p.surround.slice(1, 3), p.surround.slice(3, 5), p.surround.slice(5, 7)]).size).toBe(1));
});
