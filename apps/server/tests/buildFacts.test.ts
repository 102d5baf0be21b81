import { factsAfter } from '../src/rounds/buildJob';

type Facts = Parameters<typeof factsAfter>[0];
const facts = [
  { name: 'frames', provenance: { kind: 'fromFile', source: '42 frames', at: null } },
  { name: 'decoding of the frames', provenance: { kind: 'fromFile', source: 'sRGB by its Exif', at: null } },
] as unknown as Facts;

describe('what a build says that its codes mean', () => {
  test.each(['round', 'curve'] as const)('by the %s: as it was known before', (responseFrom) =>
    expect(factsAfter(facts, { responseFrom })).toEqual(facts),
  );
  test('by what earlier rounds of the rig taught: assumed of this one, and what its files say stays beside', () => {
    const [frames, decoding] = factsAfter(facts, { responseFrom: 'rig' });
    expect(frames).toEqual(facts[0]);
    expect(decoding.provenance).toEqual({
      kind: 'assumed',
      source: 'the response that earlier rounds of the rig taught; sRGB by its Exif',
      at: null,
    });
  });
});
