import { groupBrackets, LOOK_SIDE, type FrameFacts } from '@tawny/core';
import { createRandom } from '@tawny/simset';
import type { Row, Section } from './table';

type Random = ReturnType<typeof createRandom>;
type Frame = FrameFacts & { view: number };

const ROUNDS = 400;
const EV = [0, -8 / 3, -16 / 3, -8, -32 / 3];

/** A round as a card holds it: a scene of a wide range for each view, noise, clipping, a bracketing order of its own, times by its clock. */
function round(random: Random): Frame[] {
  const whole = (n: number) => Math.floor(random.next() * n);
  const order = [
    [0, 1, 2, 3, 4],
    [4, 3, 2, 1, 0],
    [2, 1, 3, 0, 4],
  ][whole(3)];
  const views = 3 + whole(6);
  const frames: Frame[] = [];
  for (let v = 0; v < views; v++) {
    const light = Array.from({ length: LOOK_SIDE ** 2 }, () => 0.3 * 2 ** (2.5 * random.normal()));
    order.forEach((k, i) => {
      const look = light.map((l) =>
        Math.min(1, Math.max(0, l * 2 ** EV[k] * (1 + 0.01 * random.normal()) + 0.0005 * random.normal())),
      );
      frames.push({
        name: `f_${String(v * 5 + i).padStart(4, '0')}.jpg`,
        takenAtMs: v * 20000 + i * 500,
        exposure: 2 ** EV[k],
        width: 64,
        height: 48,
        look,
        view: v,
      });
    });
  }
  return frames;
}

const FAULTS: { what: string; spoil: (frames: Frame[], random: Random) => Frame[] }[] = [
  { what: 'nothing wrong', spoil: (f) => f },
  { what: 'a frame missing', spoil: (f, r) => f.filter((_, i) => i !== Math.floor(r.next() * 0.999 * f.length)) },
  {
    what: 'three frames missing',
    spoil: (f, r) => {
      const lost = new Set([0, 1, 2].map(() => Math.floor(r.next() * f.length)));
      return f.filter((_, i) => !lost.has(i));
    },
  },
  {
    what: 'a frame shot twice',
    spoil: (f, r) => {
      const k = Math.floor(r.next() * f.length);
      return [
        ...f.slice(0, k + 1),
        { ...f[k], name: `${f[k].name.slice(0, 6)}x.jpg`, takenAtMs: f[k].takenAtMs! + 250 },
        ...f.slice(k + 1),
      ];
    },
  },
  {
    what: 'files in any order, names that start again',
    spoil: (f, r) =>
      f.map((x, i) => ({ ...x, name: `IMG_${(i * 7) % 10}.jpg`, k: r.next() })).sort((a, b) => a.k - b.k),
  },
  { what: 'no exposure time in any file', spoil: (f) => f.map((x) => ({ ...x, exposure: 0 })) },
  { what: 'no exposure and no time', spoil: (f) => f.map((x) => ({ ...x, exposure: 0, takenAtMs: null })) },
  {
    what: 'the clock jumps back in the middle',
    spoil: (f, r) => {
      const k = 1 + Math.floor(r.next() * (f.length - 1));
      return f.map((x, i) => ({ ...x, takenAtMs: x.takenAtMs! - (i >= k ? 47000 : 0) }));
    },
  },
  {
    what: 'the tags of two frames exchanged',
    spoil: (f, r) => {
      const k = Math.floor(r.next() * f.length);
      const other = f.findIndex((x, i) => i !== k && x.view === f[k].view);
      return f.map((x, i) =>
        i === k ? { ...x, exposure: f[other].exposure } : i === other ? { ...x, exposure: f[k].exposure } : x,
      );
    },
  },
];

/** Rounds with one fault each: grouped right, or not called certain; a wrong group that is called certain must never be. */
export function groupingSection(): Section {
  const rows: Row[] = FAULTS.map(({ what, spoil }) => {
    let [right, doubted, silent] = [0, 0, 0];
    for (let n = 0; n < ROUNDS; n++) {
      const random = createRandom(n + 1, `grouping ${what}`);
      const frames = spoil(round(random), random);
      const { brackets, certain } = groupBrackets(frames);
      const views = new Set(frames.map((f) => f.view)).size;
      const whole = brackets.length === views && brackets.every((b) => new Set(b.frames.map((f) => f.view)).size === 1);
      if (whole) right++;
      if (!certain) doubted++;
      if (certain && !whole) silent++;
    }
    return {
      what,
      bound: 'right, or called uncertain',
      measured: `${right} of ${ROUNDS} right, ${doubted} called uncertain, ${silent} wrong in silence`,
      holds: silent === 0,
    };
  });
  return {
    title: 'Grouping',
    how: `${ROUNDS} rounds of 3 to 8 views x 5 frames at 8/3 EV for each fault, scenes of a wide range drawn anew, noise and clipping, three orders of bracketing.`,
    rows,
  };
}
