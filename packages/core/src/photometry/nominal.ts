/** Decodes engraved markings to the values they stand for. CONVENTIONS.md section 3. The caller keeps the raw tag. */

const F_MARKS = new Map<number, number>();
// Sixths of a stop cover the third- and half-stop scales that are engraved.
for (let sixth = -6; sixth <= 66; sixth++) {
  if (sixth % 2 !== 0 && sixth % 3 !== 0) continue;
  const exact = Math.pow(2, sixth / 12);
  const mark = exact < 10 ? Math.round(exact * 10) / 10 : Math.round(exact);
  if (!F_MARKS.has(mark) || sixth % 2 === 0) F_MARKS.set(mark, exact);
}
F_MARKS.set(3.5, Math.pow(2, 22 / 12))
  .set(5.6, Math.pow(2, 2.5))
  .set(11, Math.pow(2, 3.5))
  .set(22, Math.pow(2, 4.5))
  .set(1.2, Math.pow(2, 3 / 12));

/** Exact f-number of an engraved one (11 -> 2^3.5); a value that is no marking is returned as it is. */
export function exactFNumber(marked: number): number {
  return F_MARKS.get(marked) ?? marked;
}

const T_MARKS = [
  30,
  25,
  20,
  15,
  13,
  10,
  8,
  6,
  5,
  4,
  3.2,
  2.5,
  2,
  1.6,
  1.3,
  1,
  0.8,
  0.6,
  0.5,
  0.4,
  0.3,
  1 / 4,
  1 / 5,
  1 / 6,
  1 / 8,
  1 / 10,
  1 / 13,
  1 / 15,
  1 / 20,
  1 / 25,
  1 / 30,
  1 / 40,
  1 / 50,
  1 / 60,
  1 / 80,
  1 / 100,
  1 / 125,
  1 / 160,
  1 / 200,
  1 / 250,
  1 / 320,
  1 / 400,
  1 / 500,
  1 / 640,
  1 / 800,
  1 / 1000,
  1 / 1250,
  1 / 1600,
  1 / 2000,
  1 / 2500,
  1 / 3200,
  1 / 4000,
  1 / 5000,
  1 / 6400,
  1 / 8000,
  1 / 10000,
  1 / 12800,
  1 / 16000,
];

/**
 * Exact seconds of an engraved shutter time in thirds of a stop (1/60 -> 1/64, 30 -> 32);
 * a time that is no marking (within 0.2 %) is returned as it is.
 */
export function exactShutterSeconds(marked: number): number {
  const mark = T_MARKS.find((m) => Math.abs(m / marked - 1) < 0.002);
  if (mark === undefined) return marked;
  return Math.pow(2, Math.round(Math.log2(mark) * 3) / 3);
}

/** The engraved time that stands for an exact one (1/256 -> 1/250); a time that is no marking (within 3 %) is returned as it is. */
export function engravedShutterSeconds(exact: number): number {
  const near = T_MARKS.filter((m) => Math.abs(exactShutterSeconds(m) / exact - 1) < 0.03);
  return near[0] ?? exact;
}
