import fs from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { encodeJpeg } from '@tawny/formats';
import {
  anglesAtPixel,
  anglesFromDirection,
  decodeUncertainty,
  directionFromAngles,
  linearToSrgb,
  NORMAL_95,
  quaternionFromAttitude,
  rotate,
  UNKNOWN_UNCERTAINTY,
} from '@tawny/core';
import {
  buildPanorama,
  checkPanorama,
  checkViews,
  closeThreads,
  DEMO_PLACE,
  DEMO_STATION,
  knownOfBuild,
  simulateRound,
  truthPanorama,
  type SetSpec,
  type SimulateRoundInput,
} from '../src';
import { pictureBehind } from './support/pictureBehind';

afterAll(closeThreads);

const OVERCAST: SetSpec = {
  scene: 'quay',
  seed: 3,
  place: DEMO_PLACE,
  utc: '2026-10-14T13:20:00Z',
  turbidity: 4,
  overcast: true,
};

const LOW_SUN: SetSpec = { scene: 'quay', seed: 79, place: DEMO_PLACE, utc: '2026-11-30T13:20:00Z', turbidity: 3 };

/** A round on disk while something is done with it. */
async function shoot<T>(
  input: Partial<SimulateRoundInput>,
  work: (shot: Awaited<ReturnType<typeof simulateRound>>, files: { name: string; path: string }[]) => Promise<T>,
): Promise<T> {
  const shot = await simulateRound({
    spec: OVERCAST,
    station: DEMO_STATION,
    views: 6,
    frames: 5,
    stepEv: 2,
    width: 400,
    kind: 'jpeg',
    utcOffsetMinutes: 60,
    ...input,
  });
  const folder = await fs.mkdtemp(path.join(os.tmpdir(), 'tawny-verdicts-'));
  try {
    const files = shot.files.map((f) => ({ name: f.name, path: path.join(folder, f.name) }));
    await Promise.all(shot.files.map((f, i) => fs.writeFile(files[i].path, f.bytes)));
    return await work(shot, files);
  } finally {
    await fs.rm(folder, { recursive: true });
  }
}

test('a complete overcast round of three frames at three stops holds: no view and no quantity is doubted', async () => {
  await shoot({ frames: 3, stepEv: 3 }, async (shot, files) => {
    const views = await checkViews({ files, rig: shot.rig });
    expect(views.map((v) => v.findings)).toEqual(views.map(() => []));
    const built = await buildPanorama({ files, rig: shot.rig, width: 512 });
    expect(built.warnings).toEqual([]);
    const { checks } = checkPanorama(built.panorama, { clippedSr: built.clippedSr }, knownOfBuild(built));
    // What a small picture is good for is told; nothing is lost.
    expect(checks.filter((c) => c.verdict !== 'good').map((c) => c.name)).toEqual(['resolution']);
    expect(checks.find((c) => c.name === 'dynamic range')!.value).toBeLessThan(10);
  });
});

test('views of a dark round under a low sun, with nothing but sky and water to see in their longest frames, are told apart', async () => {
  await shoot({ spec: LOW_SUN, stepEv: 3 }, async (_, files) => {
    // Nobody said what rig it was.
    const views = await checkViews({ files, rig: { projection: 'equidistant', fovDeg: 185, views: 6 } });
    expect(views.map((v) => v.findings)).toEqual(views.map(() => []));
  });
});

test('views that lost their shadows are told so and are not compared: what is left of them may look alike', async () => {
  await shoot({ spec: LOW_SUN, frames: 6, width: 512 }, async (shot, files) => {
    // The fourth view shows the third again; both lost a twelfth to noise.
    const twice = await Promise.all(
      files.map((f, i) => (Math.floor(i / 6) === 3 ? pictureBehind(f, files[i - 6]) : f)),
    );
    const views = await checkViews({ files: twice, rig: shot.rig });
    for (const v of views.slice(2, 4))
      expect(v.findings).toEqual([expect.stringMatching(/^is noise only over 8\.\d % .*: add longer frames$/)]);
    expect(views.flatMap((v) => v.findings).join()).not.toMatch(/shows what view/);
  });
});

test('a frame that shows another view is named with the view that it shows, and nothing else is said of what follows from it', async () => {
  await shoot({ frames: 3 }, async (shot, files) => {
    const mixed = [...files];
    mixed[7] = await pictureBehind(files[7], files[13]);
    const views = await checkViews({ files: mixed, rig: shot.rig });
    const said = views.map((v) => v.findings);
    expect(said).toEqual([[], [], [`${files[7].name} shows what view 5 shows: does it belong there?`], [], [], []]);
    expect(views[2].verdict).toBe('again');
  });
});

test('who walks through a view is found in it; shadows that no frame holds are told as noise of the sphere, not of the frame', async () => {
  await shoot({ faults: { walker: true } }, async (shot, files) => {
    const views = await checkViews({ files, rig: shot.rig });
    const moved = views.filter((v) => v.findings.some((f) => f.startsWith('moved over')));
    expect(moved.length).toBeGreaterThanOrEqual(5);
    expect(views.every((v) => v.starvedShare < 0.01)).toBe(true);
  });
});

test('two opposite views keep their angle, are even within what is stated of them, and say what would settle it', async () => {
  await shoot({ views: 2, fovDeg: 200, width: 768, frames: 7 }, async (shot, files) => {
    const built = await buildPanorama({ files, rig: shot.rig, width: 512 });
    expect(Math.abs(built.focalScale - 1)).toBeLessThan(0.02);
    const { checks } = checkPanorama(built.panorama, { clippedSr: built.clippedSr }, knownOfBuild(built));
    expect(checks.find((c) => c.name === 'falloff')).toMatchObject({
      verdict: 'doubtful',
      words: expect.stringMatching(/more views/),
    });
    const truth = await truthPanorama(OVERCAST, DEMO_STATION, 512);
    const turn = quaternionFromAttitude({ headingDeg: shot.truth.rigHeadingDeg, tiltDeg: 0, rollDeg: 0 });
    const areas = new Map<number, { stops: number; sigma: number; n: number }>();
    for (let y = 16; y < 240; y++)
      for (let x = 0; x < 512; x++) {
        const i = y * 512 + x;
        if (built.mask[i] !== 0 || built.uncertainty[i] === UNKNOWN_UNCERTAINTY) continue;
        const a = anglesAtPixel(x, y, 512, 256);
        const d = anglesFromDirection(rotate(turn, directionFromAngles(a.azimuthDeg, a.elevationDeg)));
        const t =
          3 * (Math.floor(((90 - d.elevationDeg) / 180) * 256) * 512 + (Math.floor((d.azimuthDeg / 360) * 512) % 512));
        const [value, real] = [built.panorama.data[3 * i + 1], truth.data[t + 1]];
        const key = Math.floor(y / 16) * 32 + Math.floor(x / 16);
        const area = areas.get(key) ?? { stops: 0, sigma: 0, n: 0 };
        area.stops += Math.log2(value / real);
        area.sigma += decodeUncertainty(built.uncertainty[i]) / Math.LN2;
        area.n++;
        areas.set(key, area);
      }
    const means = [...areas.values()].map((a) => ({ stops: a.stops / a.n, half: (NORMAL_95 * a.sigma) / a.n }));
    const scale = means.map((m) => m.stops).sort((p, q) => p - q)[means.length >> 1];
    const beyond = means.filter((m) => Math.abs(m.stops - scale) > m.half);
    // The simulated lens darkens otherwise than any of the family: within what is stated it stays all the same.
    expect(beyond.length / means.length).toBeLessThan(0.1);
    expect(
      means.map((m) => Math.abs(m.stops - scale)).sort((p, q) => p - q)[Math.floor(0.95 * means.length)],
    ).toBeLessThan(0.35);
  });
});

test('a frame that got less light is named alone and merged as what it was; a view that stands elsewhere than was said is named', async () => {
  await shoot({ frames: 4 }, async (shot, files) => {
    const perView = files.length / 6;
    const dimmed = files[2 * perView + 1];
    const sharp = (await import('sharp')).default;
    // A fifth less light, as codes of a power curve have it.
    const bytes = await sharp(dimmed.path).linear(0.8 ** (1 / 2.3), 0).withMetadata().jpeg({ quality: 95, chromaSubsampling: '4:4:4' }).toBuffer(); // prettier-ignore
    // Nothing here asks what leans.
    const options = { level: false };
    const whole = await buildPanorama({ files, rig: shot.rig, width: 256, options });
    expect(whole.warnings).toEqual([]);
    await fs.writeFile(dimmed.path, bytes);
    const views = await checkViews({ files, rig: shot.rig });
    const named = views.flatMap((v, i) => v.findings.map((f) => `${i}: ${f}`));
    expect(named).toHaveLength(1);
    expect(named[0]).toMatch(new RegExp(`^2: ${dimmed.name} is 0\\.[23]\\d stop darker against its neighbours`));
    expect(views[2].verdict).toBe('doubtful');
    // View 5 is said to look eight degrees further round than it did.
    const said = files.map((f, i) => {
      const view = Math.floor(i / perView);
      return { ...f, attitude: { headingDeg: 60 * view + (view === 4 ? 8 : 0), tiltDeg: 0, rollDeg: 0 } };
    });
    const built = await buildPanorama({ files: said, rig: shot.rig, width: 256, options });
    expect(built.warnings).toHaveLength(2);
    expect(built.warnings[0]).toContain(`: ${dimmed.name} −0.`);
    // Who believes the files is not mended.
    const believed = await buildPanorama({
      files,
      rig: shot.rig,
      width: 256,
      options: { ...options, camera: 'file', geometry: 'metadata' },
    });
    expect(believed.warnings).toEqual([]);
    expect(built.warnings[1]).toMatch(/^view 5 stands [78]\.\d° from where the rig puts it/);
    // Light of the dimmed view is what it was.
    const off = whole.panorama.data.map((v, i) => Math.abs(Math.log2(built.panorama.data[i] / v)));
    expect(off.filter((v) => Number.isFinite(v)).sort()[Math.floor(off.length / 2)]).toBeLessThan(0.05);
  });
});

test('pictures whose shadows were lifted place by place are told so, though no curve of theirs is stated', async () => {
  await shoot({ frames: 4 }, async (shot, files) => {
    const sharp = (await import('sharp')).default;
    for (const f of files) {
      const lifted = await sharp(f.path).clahe({ width: 40, height: 40, maxSlope: 4 }).withMetadata().jpeg({ quality: 95 }).toBuffer(); // prettier-ignore
      await fs.writeFile(f.path, lifted);
    }
    // At the station every view seems to move: to shoot them again would not help.
    const views = await checkViews({ files, rig: shot.rig });
    for (const v of views)
      expect(v.findings.join()).toMatch(/^moved over \d+ % between its frames: does the camera work on its pictures/);
    const built = await buildPanorama({
      files,
      rig: shot.rig,
      width: 256,
      options: { geometry: 'metadata', level: false },
    });
    expect(built.warnings.join()).toMatch(/no single response/);
  });
});

test('a light of a few millionths of a steradian is found between the pixels of a thinned glance, and frames that add nothing are counted', async () => {
  const folder = await fs.mkdtemp(path.join(os.tmpdir(), 'tawny-verdicts-'));
  try {
    const side = 1800;
    // Grey, black and white in parts, and one lamp of 3 x 3 pixels that no third pixel of a third row meets in its middle.
    const take = (exposure: number, lamp: number) => {
      const code = (light: number) => Math.round(255 * linearToSrgb(Math.min(1, light * exposure)));
      const shades = [0, 1, 2, 3].map((k) => code(0.02 + 0.1 * k));
      const rows = shades.map((_, k) => Buffer.from(Array.from({ length: 3 * side }, (_v, i) => shades[(((i / 3) >> 6) + k) % 4]))); // prettier-ignore
      const codes = Buffer.concat(Array.from({ length: side }, (_, y) => rows[(y >> 6) % 4]));
      codes.fill(code(lamp), 3 * (842 * side + 901), 3 * (842 * side + 901) + 3);
      return codes;
    };
    const look = async (lamp: number) => {
      const files = await Promise.all(
        [64, 1, 1 / 4, 1 / 16, 1 / 64].map(async (exposure, k) => {
          const name = `lamp_${k}.jpg`;
          const seconds = exposure / 64;
          const tags = {
            model: 'Tarn P6',
            lensModel: 'Meniscus 6 mm fisheye',
            shutterTag: { numerator: 1, denominator: Math.round(1 / seconds) },
            fNumberTag: 8,
            iso: 100,
            focalLengthMm: 6,
            takenAt: new Date(Date.UTC(2026, 9, 14, 12, 0, 2 * k)),
            utcOffsetMinutes: 0,
            orientation: 1 as const,
          };
          await fs.writeFile(path.join(folder, name), await encodeJpeg(take(exposure, lamp), side, side, tags, 98));
          return { name, path: path.join(folder, name) };
        }),
      );
      return (await checkViews({ files, rig: { projection: 'equidistant', fovDeg: 180, views: 1 } }))[0];
    };
    const cut = await look(1e4);
    // A pixel of it: a radian over 573 px, squared; with what coding spreads it over.
    expect(cut.clippedSr).toBeGreaterThan(1e-6);
    expect(cut.clippedSr).toBeLessThan(3e-5);
    const held = await look(0.3);
    expect(held.clippedSr).toBe(0);
    expect(held.idle).toEqual({ shortest: 3, longest: 1 });
  } finally {
    await fs.rm(folder, { recursive: true });
  }
});
