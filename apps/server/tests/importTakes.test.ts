import { bodyInput, lensInput, locationSchema, setupInput } from '@tawny/contract';
import { guessMapping, readTakes, type ImportContext } from '../src/takes/importTakes';
import { holesOf, numberSequence } from '../src/clips/sequence';
import { referenceLacks } from '../src/references/lacks';

const id = (n: number) => `6f1c9c1e-0000-4000-8000-0000000000${String(n).padStart(2, '0')}`;
const stamp = { version: 1, createdAt: '', updatedAt: '' };
const context: ImportContext = {
  setup: {
    ...stamp,
    ...setupInput.parse({
      id: id(4),
      dayId: id(5),
      name: 'Quay',
      slate: '14A',
      kind: 'exterior',
      lightCondition: 'sun out',
      plannedCg: '',
      lightAt: '2026-10-14T15:00:00Z',
    }),
  },
  location: locationSchema.parse({
    ...stamp,
    id: id(6),
    name: 'Gannet Staithe',
    latitudeDeg: 52.957,
    longitudeDeg: 0.951,
    altitudeM: 4,
    zone: 'Europe/London',
    skyline: [],
  }),
  date: '2026-10-14',
  bodies: [
    {
      ...stamp,
      ...bodyInput.parse({
        id: id(1),
        name: 'Corrie 35',
        baseEi: 800,
        formats: [{ name: 'full', gateWidthMm: 24.89, gateHeightMm: 14, widthPx: 1920, heightPx: 1080, maxFps: 60 }],
      }),
    },
  ],
  lenses: [
    {
      ...stamp,
      ...lensInput.parse({
        id: id(2),
        name: 'Skerry prime 32',
        kind: 'prime',
        focalMinMm: 32,
        focalMaxMm: 32,
        tMin: 1.8,
        tMax: 22,
        closeFocusM: 0.35,
      }),
    },
  ],
  existing: new Set(['14A/1/A']),
  model: null,
};
const read = (text: string, name = 'takes.csv') => readTakes(Buffer.from(text, 'utf8'), name, context);

test('a plain CSV: names guessed, T before the stop, local time of the shoot day', () => {
  const { takes, result } = read(
    'Slate,Take,Lens,Stop,ISO,Focus,Height (cm),Time\r\n14A,2,Skerry Prime 32,T5.6,800,2.5 m,150,16:20\r\n',
  );
  expect(result.rows[0].faults).toEqual([]);
  expect(takes[0]).toMatchObject({
    slate: '14A',
    take: 2,
    lensId: id(2),
    tStop: 5.6,
    ei: 800,
    focusM: 2.5,
    heightM: 1.5,
    shotAt: '2026-10-14T15:20:00.000Z',
    lightCondition: 'sun out',
  });
});

test('a time of the table is entered; a row without one has a time that nobody said, and an exported table keeps which it was', () => {
  const timed = (table: string, model: ImportContext['model'] = null) =>
    readTakes(Buffer.from(table), 'x.csv', { ...context, model }).takes.map((t) => [t.shotAt, t.shotAtFrom]);
  expect(timed('slate,take,time\n14A,2,16:20\n14A,3,\n')).toEqual([
    ['2026-10-14T15:20:00.000Z', 'entered'],
    ['2026-10-14T15:00:00Z', 'assumed'],
  ]);
  // A copy of the take before it runs at another time, whenever that was.
  const [before] = read('slate,take,time\n14A,2,16:20\n').takes;
  expect(timed('slate,take\n14A,3\n', before)[0][1]).toBe('assumed');
  expect(
    timed(
      'slate,take,shot_at_utc,shot_at_from\n14A,2,2026-10-14T15:20:07Z,logged\n14A,3,2026-10-14T15:23:07Z,assumed\n14A,4,2026-10-14T15:30:00Z,file A003.dng\n',
    ).map(([, from]) => from),
  ).toEqual(['logged', 'assumed', 'logged']);
  const { result } = read('slate,take,time,time from\n14A,2,16:20,hearsay\n');
  expect(result.rows[0].faults).toEqual([
    { field: 'shotAtFrom', message: '"hearsay" is none of logged, entered, assumed' },
  ]);
});

test('a lens in the table brings its own focal length, whatever was copied', () => {
  const zoom = {
    ...stamp,
    ...lensInput.parse({
      id: id(3),
      name: 'Skerry zoom',
      kind: 'zoom',
      focalMinMm: 50,
      focalMaxMm: 70,
      tMin: 2.9,
      tMax: 22,
      closeFocusM: 0.6,
    }),
  };
  const model = read('slate,take\n14A,2\n').takes[0];
  const { takes } = readTakes(Buffer.from('slate,take,lens\n14A,3,Skerry zoom\n'), 'x.csv', {
    ...context,
    lenses: [...context.lenses, zoom],
    model,
  });
  expect(takes[0]).toMatchObject({ lensId: id(3), focalLengthMm: 50 });
});

test('semicolons with decimal commas and an old encoding', () => {
  const { takes, result } = readTakes(
    Buffer.from('Slate;Take;Focal length;Tilt;Notes\n14A;3;32;-1,5;M\xf6we im Bild\n', 'latin1'),
    'takes.csv',
    context,
  );
  expect(result).toMatchObject({ delimiter: ';', encoding: 'windows-1252', decimalComma: true });
  expect(takes[0]).toMatchObject({ tiltDeg: -1.5, notes: 'Möwe im Bild' });
});

test('what is wrong is named row by row and nothing of that row is taken', () => {
  const { takes, result } = read(
    [
      'slate,take,lens,t_stop,focus_distance_m,shot_at_utc',
      '14A,1,,5.6,,',
      '14A,2,Unknown 85,5.6,,',
      '14A,3,,1.2,,',
      '14A,4,,5.6,3 furlongs,',
      '14A,5,,5.6,,sometime',
      ',6,,5.6,,',
      '14A,7,,5.6,2,',
      '14A,7,,5.6,2,',
      '14A,x,,5.6,,',
    ].join('\n'),
  );
  const faults = (k: number) => result.rows[k].faults.map((f) => f.message).join('; ');
  expect(faults(0)).toMatch(/already logged/);
  expect(faults(1)).toMatch(/kit has no lens "Unknown 85"/);
  expect(faults(2)).toMatch(/opens to T1.8; T1.2 is wider/);
  expect(faults(3)).toMatch(/unit "furlongs"|no length/);
  expect(faults(4)).toMatch(/"sometime" is no time/);
  expect(faults(5)).toMatch(/slate is empty/);
  expect(faults(6)).toBe('');
  expect(faults(7)).toMatch(/stands twice/);
  expect(faults(8)).toMatch(/"x" is no number/);
  expect(takes.map((t) => t.take)).toEqual([7]);
});

test('JSON as it was exported comes in again; what is no list is refused', () => {
  const { takes } = read(JSON.stringify({ takes: [{ slate: '15', take: 1, tStop: 4, camera: 'B' }] }), 'takes.json');
  expect(takes[0]).toMatchObject({ slate: '15', take: 1, tStop: 4, camera: 'B' });
  for (const none of ['{"x": 1}', 'null', '[1]']) expect(() => read(none, 'takes.json')).toThrow(/no list of takes/);
  expect(() => read('one column\nonly\n')).toThrow(/at least two columns/);
  expect(() => read('')).toThrow(/empty/);
});

test('an exported take keeps its lens, and what it did not know stays unknown', () => {
  const other = { ...context.lenses[0], id: id(7), name: 'Skerry prime 50', focalMinMm: 50, focalMaxMm: 50 };
  const two = { ...context, lenses: [other, ...context.lenses] };
  const json = (take: object) =>
    readTakes(Buffer.from(JSON.stringify({ takes: [{ slate: '15', take: 1, ...take }] })), 'takes.json', two);
  const [take] = json({ lensId: id(2), focalLengthMm: 32, heightM: null }).takes;
  expect(take).toMatchObject({ lensId: id(2), focalLengthMm: 32, heightM: null });
  const copied = { ...two, model: { ...take, heightM: 1.5 } };
  const again = readTakes(Buffer.from('{"takes": [{"slate": "15", "take": 2, "heightM": null}]}'), 'x.json', copied);
  expect(again.takes[0].heightM).toBeNull();
  // Of two lenses none is guessed.
  expect(json({}).result.rows[0].faults).toEqual([expect.objectContaining({ field: 'lensId' })]);
});

test('a stated mapping wins over the guess, a column that is not there is named', () => {
  expect(guessMapping(['Scene', 'Tk', 'Iris'])).toEqual({ slate: 'Scene', take: 'Tk', tStop: 'Iris' });
  const { takes } = readTakes(Buffer.from('a,b,c\n14A,9,6.3\n'), 'x.csv', context, {
    slate: 'a',
    take: 'b',
    tStop: 'c',
  });
  expect(takes[0]).toMatchObject({ take: 9, tStop: 6.3 });
  expect(() => readTakes(Buffer.from('a,b\n1,2\n'), 'x.csv', context, { slate: 'z' })).toThrow(/no column "z"/);
});

test('holes in a sequence are named', () => {
  const files = numberSequence(['p.1003.tif', 'p.1001.tif', 'p.1007.tif', 'p.1008.tif']);
  expect(files.map((f) => f.number)).toEqual([1001, 1003, 1007, 1008]);
  expect(holesOf(files)).toEqual(['1002', '1004 to 1006']);
  expect(() => numberSequence(['still.tif'])).toThrow(/no frame number/);
  expect(() => numberSequence(['a1.tif', 'b1.tif'])).toThrow(/there twice/);
});

test('what a reference still lacks', () => {
  const base = { takeId: null, lensId: null, objectId: null, lightCondition: '', shutterS: null };
  expect(referenceLacks({ ...base, kind: 'greyCard' }).join()).toMatch(/object.*light condition.*exposure/);
  expect(referenceLacks({ ...base, kind: 'cleanPlate' }).join()).toMatch(/take that it is the clean plate of/);
  expect(referenceLacks({ ...base, kind: 'lensGrid', objectId: id(1), lensId: id(2) })).toEqual([]);
});
