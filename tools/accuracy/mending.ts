import fs from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { createRandom } from '@tawny/simset';
import { anglesAtPixel, anglesFromDirection, arcDeg, conjugate, directionFromAngles, levelFromVerticals, multiply, quaternionFromAttitude, resampleLatlong, rotate, type Quaternion, type RgbImage } from '@tawny/core';
import { buildPanorama, DEMO_PLACE, DEMO_STATION, simulateRound, truthPanorama, type RoundFaults, type SetSpec } from '@tawny/pipeline';
import { quantile, type Row, type Section } from './table';

const SPEC: SetSpec = { scene: 'quay', seed: 7, place: DEMO_PLACE, utc: '2026-10-14T15:20:00Z', turbidity: 3 };
const LOFT: SetSpec = { ...SPEC, scene: 'netLoft', lampsOn: true };
const LOFT_STATION = { eastM: 0, upM: 1.6, northM: -0.6 };
const LEANS = 12;

/** The panorama as a camera that leans sees it, bilinear. */
function leaning(image: RgbImage, q: Quaternion): RgbImage {
  const { width, height } = image;
  const data = new Float32Array(image.data.length);
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      const here = anglesAtPixel(x, y, width, height);
      const a = anglesFromDirection(rotate(q, directionFromAngles(here.azimuthDeg, here.elevationDeg)));
      const fx = (a.azimuthDeg / 360) * width - 0.5;
      const fy = Math.max(0, Math.min(height - 1.001, ((90 - a.elevationDeg) / 180) * height - 0.5));
      const [xa, ya] = [Math.floor(fx), Math.floor(fy)];
      const [tx, ty] = [fx - xa, fy - ya];
      for (let c = 0; c < 3; c++) {
        const at = (u: number, v: number) => image.data[3 * (v * width + ((u + width) % width)) + c];
        data[3 * (y * width + x) + c] = (at(xa, ya) * (1 - tx) + at(xa + 1, ya) * tx) * (1 - ty) + (at(xa, ya + 1) * (1 - tx) + at(xa + 1, ya + 1) * tx) * ty;
      }
    }
  }
  return { width, height, data };
}

async function levelRows(): Promise<Row[]> {
  const rows: Row[] = [];
  for (const [name, spec, station] of [['quay', SPEC, DEMO_STATION], ['net loft', LOFT, LOFT_STATION]] as const) {
    const truth = resampleLatlong(await truthPanorama(spec, station, 2048), 1024);
    const random = createRandom(5, `leans ${name}`);
    const errors: number[] = [];
    let covered = 0;
    for (let n = 0; n < LEANS; n++) {
      const q = multiply(quaternionFromAttitude({ headingDeg: 360 * random.next(), tiltDeg: 0, rollDeg: 0 }), quaternionFromAttitude({ headingDeg: 0, tiltDeg: 3 * random.normal(), rollDeg: 0 }));
      // As a build does: measured, taken out, measured again.
      let lean = q;
      let found = levelFromVerticals(leaning(truth, lean));
      for (let round = 0; round < 4 && found && found.tiltDeg > Math.max(0.15, 1.5 * found.uncertaintyDeg); round++) {
        lean = multiply(lean, conjugate(found.correction));
        found = levelFromVerticals(leaning(truth, lean));
      }
      if (!found) continue;
      const left = arcDeg(rotate(conjugate(lean), [0, 1, 0]), [0, 1, 0]);
      errors.push(left);
      if (left <= found.uncertaintyDeg * Math.SQRT2) covered++;
    }
    rows.push({ what: `level of the ${name} from ${errors.length} of ${LEANS} leans of 3° (one sigma): median / worst left over`, bound: '-', measured: `${quantile(errors, 0.5).toFixed(3)} / ${Math.max(...errors).toFixed(3)}°; ${covered} of ${errors.length} within the stated uncertainty`, holds: null });
  }
  return rows;
}

async function built(faults: RoundFaults) {
  const shot = await simulateRound({ spec: SPEC, station: DEMO_STATION, views: 6, frames: 7, stepEv: 8 / 3, width: 1024, kind: 'tiff', utcOffsetMinutes: 60, faults });
  const folder = await fs.mkdtemp(path.join(os.tmpdir(), 'tawny-mending-'));
  try {
    const files = await Promise.all(shot.files.map(async (f) => {
      const file = path.join(folder, f.name);
      await fs.writeFile(file, f.bytes);
      return { name: f.name, path: file };
    }));
    return await buildPanorama({ files, rig: shot.rig, width: 1024 });
  } finally {
    await fs.rm(folder, { recursive: true });
  }
}

/** Lean, leaking photosites and bumps: what is found of them and what is left. */
export async function mendingSection(): Promise<Section> {
  const still = await built({});
  const hot = await built({ hot: { count: 200, electronsPerS: 4e5 } });
  const bumped = await built({ shakePx: 3 });
  return {
    title: 'Mending', how: 'Leaning panoramas are the truth turned; rounds are six views x 7 frames of 14-bit TIFF, 1024 px.',
    rows: [
      ...(await levelRows()),
      { what: '200 leaking photosites in the sensor: samples found (none in it: found)', bound: '-', measured: `${hot.hotSamples} (${still.hotSamples})`, holds: null },
      { what: 'frames bumped by up to 6 px against each other: found / seam residual (still: found / residual)', bound: '-', measured: `${bumped.shakePx.toFixed(1)} px / ${bumped.seamStops!.toFixed(3)} stop (${still.shakePx.toFixed(1)} px / ${still.seamStops!.toFixed(3)} stop)`, holds: null },
    ],
  };
}
