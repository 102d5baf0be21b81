import { execFileSync } from 'node:child_process';
import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { fieldOfViewScaled, median, RELATIVE_REC709, luminance, rowSolidAngle, type RgbImage } from '@tawny/core';
import { encodeJpeg, writeExr } from '@tawny/formats';
import {
  type BuildOptions,
  type BuildResult,
  buildPanorama,
  Cancelled,
  checkPanorama,
  checkViews,
  closeThreads,
  DEMO_PLACE,
  DEMO_STATION,
  knownOfBuild,
  readPanorama,
  simulatePhone,
  simulateRound,
  testFrame,
  truthPanorama,
  turned,
  type FrameKind,
  type SimulateRoundInput,
  type SimulatedRound,
} from '../src';
import { pictureBehind } from './support/pictureBehind';

const folder = fs.mkdtempSync(path.join(os.tmpdir(), 'tawny-build-'));
afterAll(async () => {
  await closeThreads();
  fs.rmSync(folder, { recursive: true });
});

const SPEC: SimulateRoundInput['spec'] = {
  scene: 'quay',
  seed: 7,
  place: DEMO_PLACE,
  utc: '2026-10-14T15:20:00Z',
  turbidity: 3,
};
const ROUND: SimulateRoundInput = {
  spec: SPEC,
  station: DEMO_STATION,
  views: 4,
  frames: 6,
  stepEv: 8 / 3,
  width: 400,
  kind: 'jpeg',
  utcOffsetMinutes: 60,
};

/** Photographs the set into files; the same round is shot once. */
const shot = new Map<string, { round: SimulatedRound; files: { path: string; name: string }[] }>();
async function photograph(more: Partial<SimulateRoundInput> = {}) {
  const key = JSON.stringify(more);
  const before = shot.get(key);
  if (before) return before;
  const round = await simulateRound({ ...ROUND, ...more });
  const into = fs.mkdtempSync(path.join(folder, 'round-'));
  const files = round.files.map((f) => {
    fs.writeFileSync(path.join(into, f.name), f.bytes);
    return { path: path.join(into, f.name), name: f.name };
  });
  shot.set(key, { round, files });
  return { round, files };
}

/** The plain round, built once for all tests that only look at it. */
const WIDTH = 512;
/** For what does not depend on where the views look: the fit takes most of a small build. */
const UNFITTED: BuildOptions = { geometry: 'metadata', level: false };
/** For what verticals do not tell: looking for them takes a third of one. */
const UNLEVELLED: BuildOptions = { level: false };
let plainBuild: Promise<BuildResult> | null = null;
function plain(): Promise<BuildResult> {
  plainBuild ??= photograph().then(({ round, files }) =>
    buildPanorama({ files, rig: round.rig, width: WIDTH, options: UNLEVELLED }),
  );
  return plainBuild;
}

const sameBits = (a: Float32Array | Uint8Array, b: Float32Array | Uint8Array) =>
  Buffer.compare(Buffer.from(a.buffer), Buffer.from(b.buffer)) === 0;

/** Median and 95th percentile of the stops by which two panoramas differ after their common ratio, by solid angle between 60 degrees up and down. */
function apart(a: RgbImage, b: RgbImage): { median: number; p95: number } {
  const rows: { log: number; omega: number }[] = [];
  for (let y = Math.floor(a.height / 6); y < (5 * a.height) / 6; y++) {
    for (let x = 0; x < a.width; x++) {
      const i = 3 * (y * a.width + x);
      const [p, q] = [a, b].map((m) => luminance(m.data[i], m.data[i + 1], m.data[i + 2], m.space));
      if (p > 0 && q > 0) rows.push({ log: Math.log2(p / q), omega: rowSolidAngle(y, a.width, a.height) });
    }
  }
  const at = (list: { v: number; omega: number }[], share: number) => {
    list.sort((m, n) => m.v - n.v);
    const all = list.reduce((s, r) => s + r.omega, 0);
    let seen = 0;
    for (const r of list) if ((seen += r.omega) >= share * all) return r.v;
    return NaN;
  };
  const middle = at(
    rows.map((r) => ({ v: r.log, omega: r.omega })),
    0.5,
  );
  const off = rows.map((r) => ({ v: Math.abs(r.log - middle), omega: r.omega }));
  return { median: at(off, 0.5), p95: at(off, 0.95) };
}

/** Median over the sphere of how much redder one panorama is than another, stops of red over green. */
function castBetween(a: RgbImage, b: RgbImage): number {
  const redness = (p: RgbImage, i: number) => Math.log2(p.data[i] / p.data[i + 1]);
  const all: number[] = [];
  for (let i = 0; i < a.data.length; i += 3 * 7) {
    const d = redness(a, i) - redness(b, i);
    if (Number.isFinite(d)) all.push(d);
  }
  return median(all);
}

describe('a round in every kind of file becomes the same panorama', () => {
  test.each(['tiff', 'dng'] as FrameKind[])('%s against 8-bit JPEG', async (kind) => {
    const other = await photograph({ kind });
    const [a, b] = [
      await plain(),
      await buildPanorama({ files: other.files, rig: other.round.rig, width: WIDTH, options: UNLEVELLED }),
    ];
    expect(b.views).toHaveLength(4);
    const { median } = apart(a.panorama, b.panorama);
    // Raw frames keep the camera's colours and are interpolated from a mosaic of photosites.
    expect(median).toBeLessThan(kind === 'dng' ? 0.06 : 0.03);
    // The sensor's own values came to Rec. 709 by the matrix in the files: a red wall is as red.
    expect(Math.abs(castBetween(a.panorama, b.panorama))).toBeLessThan(0.03);
    expect(b.warnings.join()).not.toMatch(/assumption/);
  });
  test("against the truth, at the views' own pointing", async () => {
    const { round, files } = await photograph({ kind: 'tiff', pointingErrorDeg: 0 });
    const built = await buildPanorama({ files, rig: round.rig, width: WIDTH, options: UNLEVELLED });
    const truth = await truthPanorama(SPEC, DEMO_STATION, WIDTH);
    // The panorama's first view looks at azimuth 0: the truth is turned by the rig's heading.
    const shift = (round.truth.rigHeadingDeg / 360) * WIDTH;
    const turnedTruth: RgbImage = { ...truth, data: new Float32Array(truth.data.length) };
    for (let y = 0; y < truth.height; y++) {
      for (let x = 0; x < WIDTH; x++) {
        const from = x + shift;
        const [i, t] = [Math.floor(from), from - Math.floor(from)];
        for (let c = 0; c < 3; c++)
          turnedTruth.data[3 * (y * WIDTH + x) + c] =
            truth.data[3 * (y * WIDTH + (i % WIDTH)) + c] * (1 - t) +
            truth.data[3 * (y * WIDTH + ((i + 1) % WIDTH)) + c] * t;
      }
    }
    const { median, p95 } = apart(built.panorama, turnedTruth);
    expect(median).toBeLessThan(0.05);
    expect(p95).toBeLessThan(0.5);
  });
  test('merged OpenEXR views of one exposure each', async () => {
    const names = ['a.exr', 'b.exr'];
    const picture = await truthPanorama(SPEC, DEMO_STATION, 256);
    const files = await Promise.all(
      names.map(async (name) => {
        const file = path.join(folder, name);
        fs.writeFileSync(file, await writeExr(picture, { latlong: true }));
        return { path: file, name };
      }),
    );
    const built = await buildPanorama({
      files: files.slice(0, 1),
      rig: { projection: 'latlong', fovDeg: 360, views: 1 },
      width: 256,
    });
    expect(apart(built.panorama, picture).p95).toBeLessThan(0.02);
    expect(built.warnings.join()).toMatch(/no scale of its own/);
    expect(built.warnings.join()).not.toMatch(/single exposure/);
  });
});

/** Looked at and built: shot once. */
const BUMPED: Partial<SimulateRoundInput> = { faults: { shakePx: 9 }, width: 768 };

describe('what is wrong with a round is found and mended or said', () => {
  test('views that lean apart are fitted; their level is left alone when asked', async () => {
    const { round, files } = await photograph({ faults: { loose: true }, pointingErrorDeg: 1.6 });
    const mended = await buildPanorama({ files, rig: round.rig, width: 256 });
    const left = await buildPanorama({ files, rig: round.rig, width: 256, options: UNFITTED });
    expect(left.level).toBeNull();
    expect(mended.seamStops!).toBeLessThan(0.1);
  });
  test('bumped frames are brought together', async () => {
    const { round, files } = await photograph(BUMPED);
    const built = await buildPanorama({ files, rig: round.rig, width: 512, options: UNLEVELLED });
    expect(built.shakePx).toBeGreaterThan(2);
    expect(built.seamStops!).toBeLessThan(0.12);
  });
  test('leaking photosites are found at the same place of all views', async () => {
    const clean = await photograph({ kind: 'tiff' });
    const leaking = await photograph({ kind: 'tiff', faults: { hot: { count: 40, electronsPerS: 4e5 } } });
    const hot = async (of: typeof clean) =>
      (await buildPanorama({ files: of.files, rig: of.round.rig, width: 256, options: UNFITTED })).hotSamples;
    const found = await hot(leaking);
    expect(found).toBeGreaterThan(10);
    expect(await hot(clean)).toBeLessThan(found / 4);
  });
  test('a frame that cannot be read is left out and named; the rest is built', async () => {
    const { round, files } = await photograph();
    const bad = path.join(folder, 'torn.jpg');
    fs.writeFileSync(bad, fs.readFileSync(files[8].path).subarray(0, 2000));
    const built = await buildPanorama({
      files: files.map((f, i) => (i === 8 ? { path: bad, name: 'torn.jpg' } : f)),
      rig: round.rig,
      width: 256,
      options: UNFITTED,
    });
    expect(built.warnings.join()).toMatch(/left out: torn\.jpg/);
    expect(built.warnings.join()).toMatch(/view 2 lacks the frame/);
    expect(built.views).toHaveLength(4);
  });
  test('a rig that states too many views ends with the count', async () => {
    const { round, files } = await photograph();
    await expect(buildPanorama({ files, rig: { ...round.rig, views: 6 }, width: 256 })).rejects.toThrow(
      /form 4 brackets but the rig states 6 views/,
    );
    await expect(buildPanorama({ files, rig: round.rig, width: 255 })).rejects.toThrow(/must be an even number/);
  });
  test('frames without any exposure in their files are built from their pictures', async () => {
    const { round, files } = await photograph();
    const sharp = (await import('sharp')).default;
    const bare = await Promise.all(
      files.map(async (f, i) => {
        const file = path.join(folder, `bare_${String(i).padStart(3, '0')}.jpg`);
        // Upright pixels, nothing else.
        fs.writeFileSync(file, await sharp(f.path).rotate().jpeg({ quality: 95 }).toBuffer());
        return { path: file, name: path.basename(file) };
      }),
    );
    const [known, blind] = [
      await plain(),
      await buildPanorama({ files: bare, rig: { ...round.rig, curve: 'srgb' }, width: WIDTH, options: UNLEVELLED }),
    ];
    expect(blind.views).toHaveLength(4);
    expect(blind.bracketFrames).toBe(6);
    const { median } = apart(known.panorama, blind.panorama);
    expect(median).toBeLessThan(0.3);
  });
});

describe('views are looked at while one can shoot again', () => {
  test('a good round holds', async () => {
    const { round, files } = await photograph();
    const checked = await checkViews({ files, rig: round.rig });
    expect(checked.map((c) => c.verdict)).not.toContain('again');
    expect(checked.every((c) => c.shakePx === 0)).toBe(true);
  });
  test('bumped, short of frames and cut off: each is told, by view', async () => {
    const bumped = await photograph(BUMPED);
    const found = await checkViews({ files: bumped.files, rig: bumped.round.rig });
    expect(found.some((c) => c.findings.some((f) => /was bumped: its frames are shifted by up to/.test(f)))).toBe(true);
    const short = await photograph({ frames: 2, width: 512 });
    const cut = await checkViews({ files: short.files, rig: short.round.rig });
    expect(cut.some((c) => c.findings.some((f) => /is cut off over .* sr .* × the sun's disc/.test(f)))).toBe(true);
    const { round, files } = await photograph();
    const lost = await checkViews({ files: files.filter((_, i) => i !== 9), rig: round.rig });
    expect(lost.filter((c) => c.verdict === 'again')).toHaveLength(1);
    expect(lost[1].findings.join()).toMatch(/lacks the frame/);
  });
  test('the same view shot twice', async () => {
    const { round, files } = await photograph();
    // View 3 shows what view 2 shows.
    const copies = await Promise.all(
      files.map((f, i) => (Math.floor(i / 6) === 2 ? pictureBehind(f, files[i - 6]) : f)),
    );
    const checked = await checkViews({ files: copies, rig: round.rig });
    expect(checked[2].verdict).toBe('again');
    expect(checked[2].findings.join()).toMatch(/shows what view 2 shows: was the rig turned\?/);
  });
});

describe('a build can be stopped and taken up', () => {
  test('cancelled within a second', async () => {
    const { round, files } = await photograph();
    const abort = new AbortController();
    let asked: NodeJS.CpuUsage | null = null;
    const building = buildPanorama(
      { files, rig: round.rig, width: 2048 },
      {
        signal: abort.signal,
        onProgress: (p) => {
          if (p.fraction > 0.1 && !asked) {
            asked = process.cpuUsage();
            abort.abort();
          }
        },
      },
    );
    const error = await building.catch((e: Error) => e);
    expect(error instanceof Cancelled || /abort/i.test((error as Error).message)).toBe(true);
    // Two threads at most are at work: a second of both, whatever else the machine does.
    expect(process.cpuUsage(asked!).user / 1000).toBeLessThan(2000);
  });
  test('finished views are taken up by the next try, and forgotten once it is built: the same panorama, bit for bit', async () => {
    const { round, files } = await photograph();
    const workFolder = path.join(folder, 'work');
    const abort = new AbortController();
    const input = { files, rig: round.rig, width: WIDTH, options: UNLEVELLED };
    await expect(
      buildPanorama(
        { ...input, workFolder },
        { signal: abort.signal, onProgress: (p) => p.stage.startsWith('Merged view 3') && abort.abort() },
      ),
    ).rejects.toThrow();
    const kept = fs.readdirSync(workFolder).filter((f) => f.endsWith('.view')).length;
    expect(kept).toBeGreaterThanOrEqual(2);
    const log: string[] = [];
    const resumed = await buildPanorama({ ...input, workFolder }, { onLog: (l) => log.push(l) });
    expect(log.filter((l) => l.includes('taken up from the build that broke off'))).toHaveLength(kept);
    expect(fs.existsSync(workFolder)).toBe(false);
    const { panorama, uncertainty } = await plain();
    expect(sameBits(resumed.panorama.data, panorama.data)).toBe(true);
    expect(sameBits(resumed.uncertainty, uncertainty)).toBe(true);
  });
});

describe('around the build', () => {
  test('the check sheet of a build knows its seams, noise and glare', async () => {
    const built = await plain();
    const { checks } = checkPanorama(built.panorama, { clippedSr: built.clippedSr }, knownOfBuild(built));
    for (const name of ['seam error', 'noise', 'glare', 'parallax', 'range, sky'])
      expect(checks.map((c) => c.name)).toContain(name);
  });
  test('a test frame tells the light, or what to do instead', async () => {
    const { round, files } = await photograph();
    const seen = await testFrame(files[5].path, files[5].name, round.rig);
    expect(seen.brightest).toBeGreaterThan(seen.darkest);
    expect(seen.darkest).toBeGreaterThan(0);
    const even = async (code: number) => {
      const file = path.join(folder, `even_${code}.jpg`);
      fs.writeFileSync(
        file,
        await encodeJpeg(new Uint8Array(3 * 64 * 64).fill(code), 64, 64, {
          model: 'Tarn P6',
          lensModel: 'x',
          shutterTag: { numerator: 1, denominator: 60 },
          fNumberTag: 8,
          iso: 100,
          focalLengthMm: 8,
          takenAt: new Date(0),
          utcOffsetMinutes: 0,
          orientation: 1,
        }),
      );
      return testFrame(file, 'even.jpg', round.rig);
    };
    await expect(even(255)).rejects.toThrow(/even\.jpg: is white nearly all over: take a shorter test frame/);
    await expect(even(0)).rejects.toThrow(/take a longer test frame/);
  });
  test('a phone chooses its own exposure and shows what lies where it looks', async () => {
    const take = (headingDeg: number, shutterS: number | null) =>
      simulatePhone({
        spec: SPEC,
        position: DEMO_STATION,
        attitude: { headingDeg, tiltDeg: 0, rollDeg: 0 },
        width: 96,
        height: 128,
        fovDeg: 54,
        shutterS,
        seed: 3,
      });
    const [towards, away] = [await take(244, null), await take(64, null)];
    expect(towards.shutterS).not.toBeCloseTo(away.shutterS, 5);
    expect((await take(64, 1 / 1000)).shutterS).toBe(1 / 1000);
  });
  test('panoramas that lie otherwise are made ours', async () => {
    const image: RgbImage = {
      ...RELATIVE_REC709,
      width: 4,
      height: 2,
      data: Float32Array.from({ length: 24 }, (_, i) => i),
    };
    expect(turned(image, { mirrored: false, upsideDown: false })).toBe(image);
    expect([...turned(image, { mirrored: true, upsideDown: false }).data.slice(0, 3)]).toEqual([9, 10, 11]);
    expect([...turned(image, { mirrored: false, upsideDown: true }).data.slice(0, 3)]).toEqual([12, 13, 14]);
    expect(
      turned(turned(image, { mirrored: true, upsideDown: true }), { mirrored: true, upsideDown: true }).data,
    ).toEqual(image.data);
    const file = path.join(folder, 'square.exr');
    fs.writeFileSync(
      file,
      await writeExr({ ...RELATIVE_REC709, width: 8, height: 8, data: new Float32Array(192).fill(1) }),
    );
    await expect(readPanorama(file, 'from-elsewhere.exr')).rejects.toThrow(/from-elsewhere\.exr/);
    // What no light makes is bounded and told; a file of nothing else is refused.
    const values = new Float32Array(16 * 8 * 3).fill(0.5);
    values[30] = 12345;
    values[60] = 54321;
    values[90] = -0.25;
    const odd = path.join(folder, 'odd.exr');
    fs.writeFileSync(odd, await exrOf(values, { 12345: Infinity, 54321: NaN }));
    const read = await readPanorama(odd, 'odd.exr');
    expect(read.odd).toMatchObject({ negative: 1, infinite: 1, noNumber: 1, singleChannel: 0 });
    expect([30, 60, 90].map((i) => read.image.data[i])).toEqual([0.5, 0.5, 0]);
    fs.writeFileSync(odd, await exrOf(values.fill(12345), { 12345: NaN }));
    await expect(readPanorama(odd, 'odd.exr')).rejects.toThrow(/odd\.exr.*no value that is a finite number/);
  });
});

/** A 16 x 8 file that holds values which our writer refuses: numbers that stand for them are replaced in an uncompressed copy. */
async function exrOf(data: Float32Array, standing: Record<number, number>): Promise<Buffer> {
  const [packed, plain] = ['packed.exr', 'plain.exr'].map((name) => path.join(folder, name));
  fs.writeFileSync(packed, await writeExr({ ...RELATIVE_REC709, width: 16, height: 8, data }, {}, 'float'));
  execFileSync('oiiotool', [packed, '--compression', 'none', '-o', plain]);
  const bytes = fs.readFileSync(plain);
  for (const [number, value] of Object.entries(standing)) {
    const mark = Buffer.alloc(4);
    mark.writeFloatLE(Number(number));
    for (let at = bytes.indexOf(mark); at >= 0; at = bytes.indexOf(mark, at)) bytes.writeFloatLE(value, at);
  }
  return bytes;
}

describe('what a round teaches of its rig', () => {
  test('the next round begins with it and is held by it; another lens is learnt against it, and said to be another', async () => {
    const { round, files } = await photograph();
    const taught = await plain();
    expect(taught.focalUncertainty!).toBeLessThan(0.02);
    const learned = {
      poly: [taught.poly[0], taught.poly[1]] as [number, number],
      focalUncertainty: taught.focalUncertainty!,
      falloff: {
        terms: [...taught.falloff!.terms] as [number, number, number],
        uncertaintyStops: taught.falloff!.uncertaintyStops,
      },
    };
    // Six views show how their lens darkens.
    expect(learned.falloff.uncertaintyStops).toBeLessThan(0.2);
    const { projection } = round.rig;
    const fovDeg = fieldOfViewScaled(projection, round.rig.fovDeg, taught.focalScale);
    const next = await buildPanorama({
      files,
      rig: { ...round.rig, fovDeg, learned },
      width: WIDTH,
      options: UNLEVELLED,
    });
    expect(Math.abs(next.focalScale - 1)).toBeLessThan(0.004);
    expect(next.warnings.join()).not.toMatch(/earlier rounds/);
    expect(next.seamStops!).toBeLessThan(1.1 * taught.seamStops! + 0.01);
    expect(next.falloff!.uncertaintyStops).toBeLessThan(taught.falloff!.uncertaintyStops);
    // Somebody put another lens on and did not say so.
    const sure = { ...learned, focalUncertainty: 0.002 };
    const other = await buildPanorama({
      files,
      rig: { ...round.rig, fovDeg: 0.95 * fovDeg, learned: sure },
      width: WIDTH,
      options: UNLEVELLED,
    });
    expect(Math.abs(other.focalScale / 0.95 - 1)).toBeLessThan(0.01);
    expect(other.warnings.join()).toMatch(/focal length is \d\.\d % shorter than earlier rounds taught of this rig/);
  });

  test('a lone view teaches nothing of the lens', async () => {
    const { round, files } = await photograph();
    const built = await buildPanorama({ files, rig: round.rig, width: WIDTH, options: UNFITTED });
    expect(built.focalUncertainty).toBeNull();
  });
});
