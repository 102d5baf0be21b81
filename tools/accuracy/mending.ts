import { createRandom } from '@tawny/simset';
import {
  arcDeg,
  conjugate,
  levelFromVerticals,
  multiply,
  quaternionFromAttitude,
  rotate,
  rotatePanorama,
} from '@tawny/core';
import {
  buildPanorama,
  DEMO_PLACE,
  DEMO_STATION,
  truthPanorama,
  type RoundFaults,
  type SetSpec,
} from '@tawny/pipeline';
import { quantile, type Row, type Section } from './table';
import { onDisk, rigRound } from '../onDisk';

const SPEC: SetSpec = { scene: 'quay', seed: 7, place: DEMO_PLACE, utc: '2026-10-14T15:20:00Z', turbidity: 3 };
const LOFT: SetSpec = { ...SPEC, scene: 'netLoft', lampsOn: true };
const LOFT_STATION = { eastM: 0, upM: 1.6, northM: -0.6 };
const LEANS = 12;
/** Radius of the circle that holds 95 % of two axes, in half widths of the 95 % interval of one. */
const CIRCLE = 1.249;

async function levelRows(): Promise<Row[]> {
  const rows: Row[] = [];
  for (const [name, spec, station] of [
    ['quay', SPEC, DEMO_STATION],
    ['net loft', LOFT, LOFT_STATION],
  ] as const) {
    const truth = await truthPanorama(spec, station, 2048);
    const random = createRandom(5, `leans ${name}`);
    for (const leanDeg of [3, 0.3]) {
      const errors: number[] = [];
      const before: number[] = [];
      let covered = 0;
      for (let n = 0; n < LEANS; n++) {
        const lean = multiply(
          quaternionFromAttitude({ headingDeg: 360 * random.next(), tiltDeg: 0, rollDeg: 0 }),
          quaternionFromAttitude({
            headingDeg: 0,
            tiltDeg: leanDeg * random.normal(),
            rollDeg: leanDeg * random.normal(),
          }),
        );
        const up = rotate(conjugate(lean), [0, 1, 0]);
        before.push(arcDeg(up, [0, 1, 0]));
        const found = levelFromVerticals(rotatePanorama(truth, conjugate(lean)));
        if (!found) continue;
        const error = arcDeg(found.up, up);
        errors.push(error);
        if (error <= CIRCLE * found.uncertaintyDeg) covered++;
      }
      rows.push({
        what: `level of the ${name} from ${errors.length} of ${LEANS} leans of ${quantile(before, 0.5).toFixed(1)}° in the middle: error, median / worst`,
        bound: '-',
        measured: `${quantile(errors, 0.5).toFixed(3)} / ${Math.max(...errors).toFixed(3)}°; ${covered} of ${errors.length} within the stated interval`,
        holds: null,
      });
    }
  }
  return rows;
}

async function built(faults: RoundFaults) {
  const shot = await rigRound({ spec: SPEC, stepEv: 8 / 3, kind: 'tiff', faults });
  return onDisk(shot, async (files) => {
    return await buildPanorama({ files, rig: shot.rig, width: 1024 });
  });
}

/** Lean, leaking photosites and bumps: what is found of them and what is left. */
export async function mendingSection(): Promise<Section> {
  const still = await built({});
  const hot = await built({ hot: { count: 200, electronsPerS: 4e5 } });
  const bumped = await built({ shakePx: 3 });
  return {
    title: 'Mending',
    how: 'Leaning panoramas are the truth turned; rounds are six views x 7 frames of 14-bit TIFF, 1024 px.',
    rows: [
      ...(await levelRows()),
      {
        what: '200 leaking photosites in the sensor: samples found (none in it: found)',
        bound: '-',
        measured: `${hot.hotSamples} (${still.hotSamples})`,
        holds: null,
      },
      {
        what: 'frames bumped by up to 6 px against each other: found / seam residual (still: found / residual)',
        bound: '-',
        measured: `${bumped.shakePx.toFixed(1)} px / ${bumped.seamStops!.toFixed(3)} stop (${still.shakePx.toFixed(1)} px / ${still.seamStops!.toFixed(3)} stop)`,
        holds: null,
      },
    ],
  };
}
