import { arcDeg, cardNormal, cross, DEG, normalize, type Vec3 } from '../src';
import { random } from './support/random';

/** Corners of a card of 0.62 x 0.46 m at a place, facing a way, turned about it by some degrees: directions from the origin. */
function seenCard(at: Vec3, normal: Vec3, turnDeg: number): [Vec3, Vec3, Vec3, Vec3] {
  const right = normalize(cross([0, 1, 0], normal));
  const up = cross(normal, right);
  const [c, s] = [Math.cos(turnDeg * DEG), Math.sin(turnDeg * DEG)];
  return ([[-0.31, 0.23], [0.31, 0.23], [0.31, -0.23], [-0.31, -0.23]] as const).map(([x, y]) =>
    normalize([0, 1, 2].map((k) => at[k] + (x * c - y * s) * right[k] + (x * s + y * c) * up[k]) as unknown as Vec3),
  ) as unknown as [Vec3, Vec3, Vec3, Vec3];
} // prettier-ignore

describe('where a card faces, by its corners', () => {
  const { next, normal } = random(4);
  const cards = Array.from({ length: 200 }, () => {
    const at: Vec3 = [-1 + 2 * next(), -0.5 + next(), -1.6 - next()];
    const towards = normalize(at.map((v) => -v) as unknown as Vec3);
    const facing = normalize(towards.map((v) => v + 0.35 * (2 * next() - 1)) as unknown as Vec3);
    return { facing, corners: seenCard(at, facing, -20 + 40 * next()) };
  });

  it('is exact for exact corners, however the card leans', () => {
    for (const { facing, corners } of cards)
      expect(arcDeg(cardNormal(corners, 0.044)!.normal, facing)).toBeLessThan(1e-4);
  });

  it('lies inside its 95 % region in about 95 of a hundred when corners are off by half a pixel', () => {
    const pixelDeg = 0.044;
    const inside = cards.filter(({ facing, corners }) => {
      const moved = corners.map((c) =>
        normalize(c.map((v) => v + 0.5 * pixelDeg * DEG * normal()) as unknown as Vec3),
      ) as unknown as typeof corners;
      const found = cardNormal(moved, pixelDeg)!;
      return arcDeg(found.normal, facing) <= found.uncertaintyDeg;
    });
    expect(inside.length / cards.length).toBeGreaterThan(0.91);
    expect(inside.length / cards.length).toBeLessThan(0.99);
  });

  it('says nothing of a card that is too small in the picture', () => {
    expect(cardNormal(cards[0].corners, 0.36)).toBeNull();
  });
});
