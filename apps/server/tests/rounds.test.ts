import { randomUUID } from 'node:crypto';
import type { CameraBody, EyeLine, Frame, LensRecord, Location, Take } from '@tawny/contract';
import { createImage, RELATIVE_REC709, sunPosition } from '@tawny/core';
import { holesOf, numberSequence } from '../src/clips/sequence';
import { eyeLinesCsv } from '../src/handoffs/eyeLinesCsv';
import { takesCsv } from '../src/takes/takesCsv';
import { panoramaDifference } from '@tawny/pipeline';
import { referenceLacks } from '../src/references/lacks';
import { groupFrames, manualGroups } from '../src/rounds/grouping';

const RIG = { projection: 'equidistant', fovDeg: 185, views: 2 } as const;

/** Frames as the database holds them. */
function frames(exposures: readonly number[], more: Partial<Frame> = {}): Frame[] {
  return exposures.map((exposure, i) => ({
    id: randomUUID(),
    roundId: randomUUID(),
    name: `f_${String(i).padStart(3, '0')}.jpg`,
    hash: '',
    widthPx: 100,
    heightPx: 80,
    bits: 8,
    fileDecoding: null,
    fileDecodingSource: '',
    shutterS: exposure,
    fNumber: 8,
    iso: 100,
    exposure,
    takenAt: new Date(1.8e12 + i * 500).toISOString(),
    zoneFrom: 'file',
    look: null,
    headingDeg: null,
    tiltDeg: null,
    rollDeg: null,
    compassDeg: null,
    compassNorth: null,
    ...more,
  }));
}

describe('frames of a round', () => {
  test('two whole brackets are certain; the ladder is told in EV, longest first', () => {
    const g = groupFrames(frames([1, 0.25, 1 / 16, 1, 0.25, 1 / 16]), RIG);
    expect(g.views.map((v) => v.frames.length)).toEqual([3, 3]);
    expect(g.ladderEv.map((v) => v + 0)).toEqual([0, 2, 4]);
    expect(g).toMatchObject({ certain: true, notes: [] });
  });
  test('another number of views than the rig states is a doubt, a single exposure too', () => {
    expect(groupFrames(frames([1, 0.25]), RIG).notes.join()).toMatch(/form 1 views, the rig states 2/);
    expect(groupFrames(frames([1, 1]), RIG).notes.join()).toMatch(/single exposure per view/);
    expect(groupFrames([], RIG)).toEqual({
      views: [],
      ladderEv: [],
      detailPx: null,
      certain: false,
      notes: [],
    });
  });
  test('sorted by hand: that order holds, and what came later stands at the end', () => {
    const all = frames([1, 0.25, 1, 0.25, 1]);
    const sorted = [
      [all[2].id, all[3].id],
      [all[0].id, all[1].id],
    ];
    expect(manualGroups(all, sorted).map((g) => g.map((f) => f.name))).toEqual([
      ['f_002.jpg', 'f_003.jpg'],
      ['f_000.jpg', 'f_001.jpg'],
      ['f_004.jpg'],
    ]);
    const g = groupFrames(all, RIG, sorted);
    expect(g.views[2].notes.join()).toMatch(/lacks the frame/);
    // Frames that are gone leave no empty view behind.
    expect(manualGroups(all.slice(0, 2), sorted)).toHaveLength(1);
  });
});

describe('two versions of a panorama', () => {
  const flat = (value: number, width = 64) => {
    const image = createImage(width, width / 2, RELATIVE_REC709);
    image.data.fill(value);
    return image;
  };
  test('the same are no apart; twice as bright is a stop; sizes may differ', () => {
    expect(panoramaDifference(flat(2), flat(2))).toMatchObject({ medianStops: 0, p95Stops: 0, changedPercent: 0 });
    const { medianStops, changedPercent, widthPx } = panoramaDifference(flat(2, 128), flat(4));
    expect(medianStops).toBeCloseTo(1, 6);
    expect(changedPercent).toBeCloseTo(100, 6);
    expect(widthPx).toBe(64);
  });
  test('a changed patch counts by its solid angle, not by its pixels', () => {
    const [before, pole, equator] = [flat(1), flat(1), flat(1)];
    pole.data.fill(2, 0, 3 * 64);
    equator.data.fill(2, 3 * 64 * 16, 3 * 64 * 17);
    expect(panoramaDifference(before, pole).changedPercent).toBeLessThan(0.3);
    expect(panoramaDifference(before, equator).changedPercent).toBeGreaterThan(4);
  });
  test('black places say nothing', () => {
    expect(panoramaDifference(flat(0), flat(1))).toMatchObject({ medianStops: 0, changedPercent: 0 });
  });
});

describe('what a reference still lacks', () => {
  const whole = {
    kind: 'greyCard',
    takeId: null,
    lensId: null,
    objectId: 'o',
    lightCondition: 'sun out',
    shutterS: 0.01,
  } as const;
  test.each([
    [whole, []],
    [{ ...whole, objectId: null }, ['which object of the kit it shows']],
    [{ ...whole, lightCondition: '', shutterS: null }, ['its light condition', 'its exposure: the file states none']],
    [{ ...whole, kind: 'cleanPlate' as const, objectId: null }, ['the take that it is the clean plate of']],
    [{ ...whole, kind: 'lensGrid' as const, shutterS: null }, ['the lens']],
    [{ ...whole, kind: 'setPhoto' as const, objectId: null, lightCondition: '', shutterS: null }, []],
  ])('%j', (reference, lacks) => {
    expect(referenceLacks(reference)).toEqual(lacks);
  });
});

describe('image sequences', () => {
  test('numbered by the last digits before the ending, in order', () => {
    expect(
      numberSequence(['plate_v2.1003.tif', 'plate_v2.1001.tif', 'plate_v2.1002.tif']).map((f) => f.number),
    ).toEqual([1001, 1002, 1003]);
    expect(() => numberSequence(['plate.tif'])).toThrow(/plate\.tif: has no frame number/);
    expect(() => numberSequence(['a.0007.tif', 'b.7.tif'])).toThrow(/frame 7 is there twice/);
  });
  test('holes as ranges', () => {
    expect(holesOf(numberSequence(['a.1.tif', 'a.3.tif', 'a.4.tif', 'a.9.tif']))).toEqual(['2', '5 to 8']);
    expect(holesOf(numberSequence(['a.1.tif', 'a.2.tif']))).toEqual([]);
  });
});

describe('tables of a package', () => {
  const location = { latitudeDeg: 52.957, longitudeDeg: 0.951, altitudeM: 4, zone: 'Europe/London' } as Location;
  const take = {
    id: 't',
    slate: '14A',
    take: 2,
    camera: 'A',
    status: 'circled',
    shotAt: '2026-10-14T15:40:00Z',
    bodyId: 'b',
    lensId: 'l',
    formatName: '1920 full',
    focalLengthMm: 32,
    tStop: 8,
    ei: 800,
    shutterAngleDeg: 180,
    fps: 24,
    whiteBalanceK: 5600,
    ndStops: 4,
    focusM: null,
    heightM: 1.5,
    tiltDeg: -1,
    headingDeg: 8,
    headingNorth: 'true',
    eastM: 0,
    northM: 0,
    lightCondition: 'sun out',
    support: 'lockedOff',
    flopped: false,
    roll: 'A004',
    clip: 'roll4-04',
    timecodeIn: null,
    timecodeOut: null,
    timecodeRate: null,
    changes: [{ field: 'focusM', at: 1, value: 3 }],
    fromFile: {},
    shotAtFrom: 'assumed',
    notes: '=SUM(A1)',
  } as unknown as Take;
  const rows = (csv: string) =>
    csv
      .trim()
      .split(/\r?\n/)
      .map((l) => l.split(','));

  const format = {
    name: take.formatName,
    gateWidthMm: 24,
    gateHeightMm: 20,
    widthPx: 2400,
    heightPx: 2000,
    squeeze: 1,
    circleOfConfusionMm: 0.025,
  };

  test('takes stand with the sun at that take; a formula in a note is no formula any more', () => {
    const csv = takesCsv(
      [take],
      location,
      [{ id: 'b', name: 'Corrie 35', formats: [format] } as unknown as CameraBody],
      [
        {
          id: 'l',
          name: 'Skerry prime 32',
          squeeze: 2,
          transmission: 0.64,
          entrancePupil: [],
        } as unknown as LensRecord,
      ],
      {
        sun: sunPosition(location, new Date('2026-10-14T15:40:00Z')).direction,
        gains: new Map([[take.id, { stops: -1.25, uncertaintyStops: 0.15, from: 'carried' }]]),
      },
    );
    const [head, row] = rows(csv);
    const cell = (name: string) => row[head.indexOf(name)];
    expect(cell('shot_at_local')).toBe('2026-10-14 16:40:00 BST');
    expect(cell('shot_at_from')).toBe('assumed');
    expect(Number(cell('sun_elevation_deg'))).toBeCloseTo(sunPosition(location, new Date(take.shotAt)).elevationDeg, 2);
    expect(Number(cell('sun_drift_from_round_deg'))).toBe(0);
    expect(cell('changes')).toBe('focusM@1=3');
    // Its timecode is not logged whole: nobody says how far the sun went on over it.
    expect(cell('sun_moves_over_take_deg')).toBe('');
    // A take's own camera and its own gain.
    expect(Number(cell('f_number'))).toBeCloseTo(0.8 * take.tStop, 3);
    expect(Number(cell('squeeze'))).toBe(2);
    expect(Number(cell('field_of_view_deg'))).toBeCloseTo((2 * 180 * Math.atan(24 / take.focalLengthMm)) / Math.PI, 2);
    expect([cell('gain_stops'), cell('gain_uncertainty_stops'), cell('gain_from')]).toEqual([
      '-1.25',
      '0.15',
      'carried',
    ]);
    expect(cell('notes')).not.toMatch(/^"?=/);
  });
  test('where it stood is empty until somebody says it; what was paced and the length of the take are told', () => {
    const body = { id: 'b', name: 'Corrie 35', formats: [] } as unknown as CameraBody;
    const told = (more: Partial<Take>) => {
      const [head, row] = rows(takesCsv([{ ...take, ...more }], location, [body], [], null));
      return (name: string) => row[head.indexOf(name)];
    };
    expect(told({ fromFile: { shotAt: 'A004.dng' } })('shot_at_from')).toBe('file A004.dng');
    const nowhere = told({ eastM: null, northM: null, stationOffset: null });
    expect(['east_m', 'north_m', 'station_ahead_m', 'station_up_m'].map(nowhere)).toEqual(['', '', '', '']);
    const stationOffset = { stationId: 's', aheadM: 2.5, rightM: -1, upM: 0.1, withinM: 0.2 };
    const paced = told({
      stationOffset,
      timecodeIn: '15:40:00:00',
      timecodeOut: '15:49:59:23',
      timecodeRate: 24,
    });
    expect(['station_ahead_m', 'station_right_m', 'station_up_m'].map(paced)).toEqual(['2.5', '-1', '0.1']);
    // Ten minutes: two and a half degrees of the sky, less off its equator.
    expect(Number(paced('sun_moves_over_take_deg'))).toBeGreaterThan(2.2);
    expect(Number(paced('sun_moves_over_take_deg'))).toBeLessThan(2.51);
  });
  test('a list of a day, which no round belongs to, has no gains and no drift', () => {
    const body = { id: 'b', name: 'Corrie 35', formats: [] } as unknown as CameraBody;
    const [head, row] = rows(takesCsv([take], location, [body], [], null));
    const cell = (name: string) => row[head.indexOf(name)];
    expect(['gain_stops', 'gain_from', 'sun_drift_from_round_deg'].map(cell)).toEqual(['', '', '']);
    // Nor a camera whose recording format the kit does not know.
    expect(['f_number', 'squeeze', 'field_of_view_deg'].map(cell)).toEqual(['', '', '']);
  });
  test('eye lines carry bearing, tilt and distance', () => {
    const line = {
      who: 'Ferryman',
      takeId: 't',
      eye: { eastM: 0, northM: 0, heightM: 1.7 },
      target: { eastM: 3, northM: 3, heightM: 1.7 },
      standInHeightM: null,
    } as EyeLine;
    const [head, row] = rows(eyeLinesCsv([line], [take]));
    expect(Number(row[head.indexOf('bearing_true_deg')])).toBe(45);
    expect(Number(row[head.indexOf('tilt_deg')])).toBe(0);
    expect(Number(row[head.indexOf('distance_m')])).toBeCloseTo(Math.hypot(3, 3), 3);
    expect(row[head.indexOf('take')]).toBe('14A/2A');
  });
});
