import fs from 'node:fs';
import path from 'node:path';
import { commandLine } from './support/commandLine';

const { folder, tawny } = commandLine();

const round = path.join(folder, 'round');
const PLACE = ['--lat', '52.957', '--lon', '0.951', '--alt', '4', '--utc', '2026-10-14T15:20:00Z'];

test('sun prints one object with units in its keys', () => {
  const { json, code } = tawny(
    'sun',
    '--lat',
    '39.742476',
    '--lon',
    '-105.1786',
    '--alt',
    '1830.14',
    '--utc',
    '2003-10-17T12:30:30-07:00',
    '--pressure',
    '820',
    '--temperature',
    '11',
    '--json',
  );
  expect(code).toBe(0);
  expect(json().azimuthDeg).toBeCloseTo(194.34024, 2);
  expect(90 - json().elevationDeg).toBeCloseTo(50.11162, 2);
});

test('simulate, build, inspect and align agree with the truth', () => {
  const made = tawny(
    'simulate',
    '--scene',
    'quay',
    '--seed',
    '3',
    '--views',
    '4',
    '--frames',
    '5',
    '--step-ev',
    '3',
    '--width',
    '512',
    '--out',
    round,
    '--json',
  );
  expect(made.code).toBe(0);
  const truth = JSON.parse(fs.readFileSync(path.join(round, 'truth.json'), 'utf8'));
  expect(Object.keys(truth)).toEqual(
    expect.arrayContaining(['latitudeDeg', 'longitudeDeg', 'altitudeM', 'utc', 'sun', 'attitudes', 'exposures']),
  );
  const exact = tawny('inspect', path.join(round, 'truth.exr'), '--json').json();
  expect(exact.sun.azimuthDeg).toBeCloseTo(truth.sun.azimuthDeg, 0);
  expect(exact.illuminanceHorizontal / truth.illuminanceHorizontal).toBeCloseTo(1, 1);
  // A clear sky tells its sun by itself, and a file of ours holds nothing odd.
  expect(exact.sun.witnessed).toBe(false);
  expect(exact.oddValues).toBeNull();

  const panorama = path.join(folder, 'p.exr');
  const run = tawny(
    'build',
    round,
    '--width',
    '512',
    '--out',
    panorama,
    '--rig',
    path.join(round, 'rig.json'),
    '--json',
  );
  // The result is one line on stdout, messages go to stderr.
  expect(run.out.trim().split('\n')).toHaveLength(1);
  expect(run.err).toContain('20 frames in 4 views');
  const built = run.json();
  expect(built).toMatchObject({
    widthPx: 512,
    heightPx: 256,
    views: 4,
    framesPerView: 5,
    clippedSr: 0,
    uncoveredSr: 0,
  });
  const aligned = tawny('align', panorama, ...PLACE, '--out', path.join(folder, 'a.exr'), '--json').json();
  expect(Math.abs(((aligned.yawDeg - truth.rigHeadingDeg + 540) % 360) - 180)).toBeLessThan(0.25);
  expect(aligned.agrees).toBe(true);
  const turned = tawny('inspect', path.join(folder, 'a.exr'), '--json').json();
  expect(Math.abs(turned.sun.azimuthDeg - truth.sun.azimuthDeg)).toBeLessThan(0.1);
  // Relative values: the ratio of illuminance to mean does not depend on the unit.
  expect(
    turned.illuminanceHorizontal / turned.meanLuminance / (exact.illuminanceHorizontal / exact.meanLuminance),
  ).toBeCloseTo(1, 1);
});

test('one bracket is merged, its camera measured, its panorama checked', () => {
  const view = fs
    .readdirSync(round)
    .filter((n) => /\.jpg$/.test(n))
    .sort()
    .slice(0, 5)
    .map((n) => path.join(round, n));
  const merged = tawny('merge', ...view, '--out', path.join(folder, 'view.exr'), '--json').json();
  expect(merged).toMatchObject({ frames: 5, clippedFraction: 0 });
  expect(merged.exposureFactors).toHaveLength(5);
  const all = fs
    .readdirSync(round)
    .filter((n) => /\.jpg$/.test(n))
    .map((n) => path.join(round, n));
  const response = tawny('response', ...all, '--out', path.join(folder, 'response.json'), '--json').json();
  expect(response.toneMapped).toBe(false);
  expect(JSON.parse(fs.readFileSync(path.join(folder, 'response.json'), 'utf8')).green).toHaveLength(256);
  const check = tawny('check', path.join(folder, 'p.exr'), '--json').json();
  expect(check.highlightsLost).toBe(false);
  expect(check.checks.map((c: { name: string }) => c.name)).toEqual(
    expect.arrayContaining(['dynamic range', 'clipped', 'black floor', 'edge', 'resolution']),
  );
  const two = tawny('merge', ...all, '--out', path.join(folder, 'x.exr'));
  expect(two.code).not.toBe(0);
  expect(two.err).toMatch(/form 4 brackets: merge one at a time/);
});

test('a lens guess on the command line builds as a rig file does; words that are not known are refused', () => {
  const guessed = tawny(
    'build',
    round,
    '--width',
    '512',
    '--projection',
    'equidistant',
    '--fov',
    '178',
    '--views',
    '4',
    '--level',
    'off',
    '--out',
    path.join(folder, 'g.exr'),
    '--json',
  ).json();
  expect(guessed.focalScale).toBeCloseTo(178 / 185, 2);
  const wrong = tawny('build', round, '--width', '512', '--nadir', 'paint', '--out', path.join(folder, 'w.exr'));
  expect(wrong.code).not.toBe(0);
  expect(wrong.err).toMatch(/--nadir is fill or keep, not paint/);
});

test('a chrome ball is unwrapped and says what it cannot show', () => {
  const out = tawny(
    'unwrap-ball',
    path.join(folder, 'p.exr'),
    '--circle',
    '256,128,100',
    '--focal-px',
    '800',
    '--width',
    '256',
    '--out',
    path.join(folder, 'ball.exr'),
    '--json',
  ).json();
  expect(out.blindConeDeg).toBeCloseTo((Math.atan(100 / 800) * 180) / Math.PI, 5);
  const two = tawny(
    'unwrap-ball',
    path.join(folder, 'p.exr'),
    '--circle',
    '256,128,100',
    '--second',
    path.join(folder, 'p.exr'),
    '--second-circle',
    '256,128,100',
    '--turn',
    '120',
    '--focal-px',
    '800',
    '--width',
    '256',
    '--out',
    path.join(folder, 'balls.exr'),
    '--json',
  ).json();
  expect(out.hiddenShare).toBeGreaterThan(0);
  expect(two.hiddenShare).toBe(0);
  expect(
    tawny('unwrap-ball', path.join(folder, 'p.exr'), '--circle', '5,5', '--focal-px', '800', '--out', 'x.exr').err,
  ).toMatch(/x,y,radius/);
});

test.each([
  [['sun', '--lat', '120', '--lon', '0', '--utc', '2026-01-01T00:00:00Z'], /latitude 120 is not between/],
  [['sun', '--lat', 'north', '--lon', '0', '--utc', '2026-01-01T00:00:00Z'], /expected a number/],
  [['sun', '--lat', '1', '--lon', '0', '--utc', '2026-01-01T00:00:00'], /state the zone/],
  [['inspect', 'missing.exr'], /there is no such file/],
  [['build', '.', '--out', 'x.exr'], /state the rig with --rig/],
  [['simulate', '--scene', 'moon', '--out', 'x'], /there is no scene "moon"/],
  [['simulate', '--format', 'film', '--out', 'x'], /format must be jpeg, tiff, dng/],
  [['simulate', '--views', '99', '--out', 'x'], /views must be a whole number from 1 to 24/],
  [['fly'], /unknown command/],
])('tawny %j fails with a reason', (args, message) => {
  const { code, err } = tawny(...args);
  expect(code).not.toBe(0);
  expect(err).toMatch(message);
});

test.each(['simulate', 'build', 'sun', 'inspect', 'align'])('%s has help', (verb) => {
  const { code, out } = tawny(verb, '--help');
  expect(code).toBe(0);
  expect(out).toContain('--json');
});

test('a round of raw frames builds with mask and uncertainty beside it', () => {
  const raw = path.join(folder, 'raw');
  tawny(
    'simulate',
    '--out',
    raw,
    '--views',
    '4',
    '--frames',
    '5',
    '--step-ev',
    '2.67',
    '--width',
    '384',
    '--format',
    'dng',
    '--json',
  );
  const measure = path.join(folder, 'measure.png');
  const out = tawny(
    'build',
    raw,
    '--width',
    '512',
    '--geometry',
    'metadata',
    '--out',
    path.join(folder, 'raw.exr'),
    '--measure',
    measure,
    '--json',
  ).json();
  expect(out).toMatchObject({ views: 4, framesPerView: 5, hotSamples: 0 });
  expect(fs.readFileSync(measure).subarray(1, 4).toString()).toBe('PNG');
});

test('glare is measured from a pair and written into the rig', () => {
  const { out, code } = tawny('glare', '--help');
  expect(code).toBe(0);
  expect(out).toContain('covered');
  const same = tawny(
    'glare',
    path.join(folder, 'p.exr'),
    path.join(folder, 'p.exr'),
    '--rig',
    path.join(round, 'rig.json'),
  );
  expect(same.code).not.toBe(0);
  expect(same.err).toMatch(/no sun stands out between the two views/);
});

test('a place comes from the view that was named, the tripod is cut out, the measure for what moved is stated', () => {
  const out = path.join(folder, 'chosen.exr');
  const mask = path.join(folder, 'chosen.png');
  const built = tawny(
    'build',
    round,
    '--width',
    '256',
    '--out',
    out,
    '--area',
    '30,0,10,2',
    '--area',
    '200,20,5,4',
    '--tripod',
    '25',
    '--moved-stops',
    '1',
    '--geometry',
    'metadata',
    '--measure',
    mask,
    '--json',
  ).json();
  // The cone of 25 degrees about straight down.
  expect(built.uncoveredSr / (2 * Math.PI * (1 - Math.cos((25 * Math.PI) / 180)))).toBeCloseTo(1, 1);
  expect(Array.isArray(built.moved)).toBe(true);
  expect(fs.statSync(mask).size).toBeGreaterThan(100);
  const filled = tawny(
    'build',
    round,
    '--width',
    '256',
    '--out',
    out,
    '--tripod',
    '25',
    '--nadir',
    'fill',
    '--geometry',
    'metadata',
    '--camera',
    'file',
    '--json',
  ).json();
  expect(filled.uncoveredSr).toBeCloseTo(built.uncoveredSr, 6);
  expect(filled.warnings.join()).toMatch(/filled in from around it/);
});

test('an area that is none, or of a view that is not there, is named before anything is written', () => {
  const out = path.join(folder, 'never.exr');
  for (const [area, words] of [
    ['30,0,10', /--area takes azimuth,elevation,radius,view, not 30,0,10/],
    ['30,0,ten,1', /not 30,0,ten,1/],
    ['30,0,0,1', /not 30,0,0,1/],
    ['30,0,10,9', /is to come from view 9, but there are 4/],
  ] as const) {
    const run = tawny('build', round, '--width', '256', '--out', out, '--area', area);
    expect(run.code).not.toBe(0);
    expect(run.err).toMatch(words);
  }
  expect(fs.existsSync(out)).toBe(false);
});
