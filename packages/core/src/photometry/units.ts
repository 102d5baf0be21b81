/** Lux in a foot-candle: one lumen per square foot. */
export const LUX_PER_FOOTCANDLE = 1 / 0.3048 ** 2;

/** Metres from feet and inches (exact: 0.3048 m). */
export const metresFromFeet = (feet: number, inches = 0): number => (feet + inches / 12) * 0.3048;

/** Feet and inches, inches to the nearest half. */
export function feetFromMetres(metres: number): { feet: number; inches: number } {
  const half = Math.round((Math.abs(metres) / 0.3048) * 24);
  const sign = metres < 0 ? -1 : 1;
  return { feet: sign * Math.floor(half / 24), inches: (half % 24) / 2 };
}

/**
 * A length as it is spoken on a set, in metres: `3.2`, `3,2 m`, `320 cm`, `10'6"`, `10 ft 6 in`, `126 in`.
 * @throws RangeError when the text is no length
 */
export function parseLengthM(text: string): number {
  const t = text.trim().toLowerCase().replace(/[′’]/g, "'").replace(/[″”]/g, '"').replace(',', '.');
  const n = '(\\d+(?:\\.\\d+)?)';
  const feet = t.match(new RegExp(`^${n}\\s*(?:'|ft|feet|foot)\\s*(?:${n}\\s*(?:"|in|inch|inches)?)?$`));
  if (feet) return metresFromFeet(Number(feet[1]), Number(feet[2] ?? 0));
  const plain = t.match(new RegExp(`^(-?)${n}\\s*(mm|cm|m|in|inch|inches|")?$`));
  if (!plain) throw new RangeError(`"${text}" is no length: write metres (3.2), or feet and inches (10' 6")`);
  const scale = { mm: 0.001, cm: 0.01, m: 1, in: 0.0254, inch: 0.0254, inches: 0.0254, '"': 0.0254 }[plain[3] ?? 'm']!;
  return (plain[1] ? -1 : 1) * Number(plain[2]) * scale;
}

/** An illuminance in lux: `1200`, `1,2 klx`, `112 fc`. @throws RangeError when the text is none */
export function parseLux(text: string): number {
  const m = text
    .trim()
    .toLowerCase()
    .replace(',', '.')
    .match(/^(\d+(?:\.\d+)?)\s*(klx|lx|lux|fc)?$/);
  if (!m) throw new RangeError(`"${text}" is no illuminance: write lux (1200) or foot-candles (112 fc)`);
  return Number(m[1]) * { klx: 1000, lx: 1, lux: 1, fc: LUX_PER_FOOTCANDLE }[m[2] ?? 'lx']!;
}
