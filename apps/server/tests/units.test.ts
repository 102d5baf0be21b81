import { createImage, RELATIVE_REC709 } from '@tawny/core';
import { missingParts } from '../src/handoffs/missing';
import { packageName, slug } from '../src/handoffs/names';
import { writeReadme } from '../src/handoffs/readme';
import { decodeFloatPicture, encodeFloatPicture } from '@tawny/pipeline';
import { columnName } from '../src/db/entities';

test('names in packages are lower case without spaces', () => {
  expect(slug('Quay, low sun')).toBe('quay-low-sun');
  expect(packageName('HERN', 'Net loft', 'Station 1', 'panorama', 3)).toBe('hern_net-loft_station-1_panorama_v003');
});

test('units stand in column names', () => {
  expect(columnName('focusDistanceM')).toBe('focus_distance_m');
  expect(columnName('tiltDeg')).toBe('tilt_deg');
});

test('the float picture keeps shadows and the sun', () => {
  const image = createImage(4, 2, RELATIVE_REC709);
  image.data.fill(120);
  image.data[5] = 4.1e8;
  const back = decodeFloatPicture(encodeFloatPicture(image), image);
  expect(back.data[5] / 4.1e8).toBeCloseTo(1, 3);
  expect(back.data[0] / 120).toBeCloseTo(1, 2);
  expect(() => decodeFloatPicture(Buffer.from('short'), RELATIVE_REC709)).toThrow(/not a float picture/);
});

test('the page says what is missing, and calls a clipped sun a lower bound', () => {
  const all = {
    north: true,
    gain: true,
    sun: true,
    clipped: false,
    single: false,
    clippedSr: 0,
    format: true,
    position: true,
    facts: [
      { name: 'time of the round', kind: 'assumed' as const, source: 'planned light time', uncertainty: 10, unit: 's' },
    ],
    changed: [],
    carried: null,
    doubt: null,
    colour: null,
    conditions: ['sun out', 'sun out'] as const,
    drift: { takeDeg: 1, limitDeg: 2, aimed: true },
  };
  expect(missingParts({ ...all, facts: [] })).toHaveLength(1);
  expect(missingParts(all)[0]).toBe('certainty about what is assumed: time of the round (planned light time)');
  expect(missingParts({ ...all, changed: ['place'] })[0]).toMatch(/^STALE: place changed/);
  // What is borrowed is said first: the light of another condition, then the gain of another take.
  expect(
    missingParts({ ...all, conditions: ['sun out', 'cloud over'], carried: 'carried from the card in 12/1A' }).slice(
      0,
      2,
    ),
  ).toEqual([
    'the light of the take: BORROWED, this panorama is of "sun out", the take of "cloud over"',
    "a gain of this take's own: carried from the card in 12/1A",
  ]);
  expect(missingParts({ ...all, facts: [], colour: 'colour: no chart' })[0]).toBe('colour: no chart');
  expect(missingParts({ ...all, doubt: 'settings of 12/3A: a filter of 2.0 stops' })[0]).toBe(
    'certainty about the gain: settings of 12/3A: a filter of 2.0 stops',
  );
  expect(missingParts({ ...all, drift: { takeDeg: 5.24, limitDeg: 2, aimed: true } })[0]).toBe(
    'a round as fresh as the take: the sun went on by 5.2 degrees (limit 2); its light is aimed anew, sky and shadows in the panorama are not',
  );
  expect(missingParts({ ...all, north: false, gain: false, clipped: true, single: true }).join()).toMatch(
    /north.*gain.*lower bound.*single exposure/s,
  );
  const text = writeReadme({
    production: 'The Tin Heron',
    setup: 'Quay',
    lightCondition: 'sun out',
    number: 2,
    panoramaName: 'p.exr',
    residualName: 'r.exr',
    space: 'scene-linear ACEScg (AP1 primaries)',
    restsOn: all.facts,
    widthPx: 4096,
    heightPx: 2048,
    gainStops: null,
    gainBy: 'by the grey card in this take',
    colour: 'as the panorama camera saw them',
    plate: null,
    gainUncertaintyStops: null,
    frame: 'set frame, north unknown',
    yawDeg: null,
    northBy: '',
    northUncertaintyDeg: null,
    illuminanceFull: 300,
    illuminanceResidual: 200,
    meanLuminance: 10,
    maxLuminance: 1e6,
    sun: {
      azimuthDeg: 200,
      elevationDeg: 30,
      diameterDeg: 0.53,
      illuminanceNormal: 200,
      clipped: true,
      aimed: { azimuthDeg: 204, elevationDeg: 28 },
    },
    camera: 'x',
    missing: [],
    files: ['p.exr'],
  });
  expect(text).toMatch(/CLIPPED: a lower bound/);
  expect(text).toMatch(/UNKNOWN: everything is in the frame of the set/);
  expect(text).toMatch(/residual \+ sun\s+300/);
  expect(text).toMatch(/aimed as at the take: azimuth 204\.00 deg, elevation 28\.00 deg/);
  // What is not known is not said to be north.
  expect(text).toMatch(/azimuth grows to the right; set frame, north unknown\./);
  expect(text).not.toMatch(/true north/);
});
