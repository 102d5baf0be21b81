import { execFileSync } from 'node:child_process';
import fs from 'node:fs/promises';
import path from 'node:path';
import sharp from 'sharp';

/**
 * Files of a shoot that never saw this program: a head with a fisheye, and a clip of a plate. Light, sun, lens, clock and coding are written out here
 * from their definitions; nothing of what reads them is used to make them.
 */

const RAD = Math.PI / 180;
type Direction = readonly [east: number, north: number, up: number];
const toward = (azimuth: number, elevation: number): Direction => [
  Math.cos(elevation * RAD) * Math.sin(azimuth * RAD),
  Math.cos(elevation * RAD) * Math.cos(azimuth * RAD),
  Math.sin(elevation * RAD),
];
const dot = (a: Direction, b: Direction) => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];

/** The sun's apparent place to about 0.02 degrees (Astronomical Almanac's low-precision formulas, refraction by Saemundsson). */
export function almanacSun(utcMs: number, latitude: number, longitude: number): { azimuth: number; elevation: number } {
  const n = utcMs / 86400000 + 2440587.5 - 2451545;
  const mean = 280.46 + 0.9856474 * n;
  const anomaly = (357.528 + 0.9856003 * n) * RAD;
  const ecliptic = (mean + 1.915 * Math.sin(anomaly) + 0.02 * Math.sin(2 * anomaly)) * RAD;
  const obliquity = (23.439 - 4e-7 * n) * RAD;
  const ascension = Math.atan2(Math.cos(obliquity) * Math.sin(ecliptic), Math.cos(ecliptic));
  const declination = Math.asin(Math.sin(obliquity) * Math.sin(ecliptic));
  const sidereal = (280.46062 + 360.98564737 * n + longitude) * RAD;
  const hour = sidereal - ascension;
  const lat = latitude * RAD;
  const up = Math.sin(lat) * Math.sin(declination) + Math.cos(lat) * Math.cos(declination) * Math.cos(hour);
  const east = -Math.cos(declination) * Math.sin(hour);
  const north = Math.cos(lat) * Math.sin(declination) - Math.sin(lat) * Math.cos(declination) * Math.cos(hour);
  const true_ = Math.asin(up) / RAD;
  const refraction = 1.02 / Math.tan((true_ + 10.3 / (true_ + 5.11)) * RAD) / 60;
  return { azimuth: (Math.atan2(east, north) / RAD + 360) % 360, elevation: true_ + refraction };
}

export const PLACE = { latitude: 54.4871, longitude: -0.6142 };
/** When the head really began. */
export const BEGAN = Date.UTC(2026, 9, 14, 14, 20, 0);
/** The rig's clock shows this much more than it is. */
export const CLOCK_FAST_S = 47;
/** Where the first look really pointed: nobody notes it. */
const FIRST_HEADING = 37;
const SECONDS_A_LOOK = 14;
/** True bearings of the card, and its height. */
export const CARD = { azimuth: 150, elevation: -8, across: 14, high: 12 };
/** Light of the card, 1 filling the longest frame. */
const CARD_LIGHT = 0.09;
const SUN_LIGHT = 3000;
const SUN_RADIUS = 0.2665;

/** A steady value from a whole number. */
const chance = (n: number) => {
  const s = Math.sin(n * 12.9898) * 43758.5453;
  return s - Math.floor(s);
};

/** Light from a direction at a time, with a sun that moves; `blur` in degrees is a pixel's size. */
function light(d: Direction, sun: Direction, blur: number): [number, number, number] {
  const elevation = Math.asin(d[2]) / RAD;
  const azimuth = (Math.atan2(d[0], d[1]) / RAD + 360) % 360;
  const offCard = [Math.abs(((azimuth - CARD.azimuth + 540) % 360) - 180), Math.abs(elevation - CARD.elevation)];
  if (offCard[0] < CARD.across / 2 && offCard[1] < CARD.high / 2) return [CARD_LIGHT, CARD_LIGHT, CARD_LIGHT];
  const wave =
    0.12 * Math.sin(7 * d[0] + 3 * d[1]) + 0.1 * Math.sin(11 * d[1] - 5 * d[2]) + 0.08 * Math.sin(17 * d[2] + 9 * d[0]);
  let rgb: [number, number, number];
  const post = Math.floor(azimuth / 6);
  const stands =
    elevation > -12 && elevation < 4 + 22 * chance(post) && azimuth / 6 - post < 0.35 + 0.4 * chance(post + 500);
  if (stands) rgb = [0.05 + 0.1 * chance(post + 70), 0.05 + 0.08 * chance(post + 90), 0.04 + 0.07 * chance(post + 30)];
  else if (elevation > 0) rgb = [0.2, 0.26, 0.36];
  else {
    // Slabs of different greys on the ground.
    const [x, y] = [d[0] / -d[2], d[1] / -d[2]];
    const slab = chance(Math.floor(2 * x) * 31 + Math.floor(2 * y) * 17 + 3);
    rgb = [0.07 + 0.08 * slab, 0.065 + 0.075 * slab, 0.06 + 0.06 * slab];
  }
  rgb = rgb.map((v) => v * (1 + wave)) as typeof rgb;
  const off = Math.acos(Math.min(1, dot(d, sun))) / RAD;
  const share = Math.min(1, Math.max(0, (SUN_RADIUS + blur / 2 - off) / blur));
  if (share > 0) rgb = rgb.map((v, c) => v + share * SUN_LIGHT * [1, 0.93, 0.82][c]) as typeof rgb;
  return rgb;
}

const srgb = (x: number) => (x <= 0.0031308 ? 12.92 * x : 1.055 * x ** (1 / 2.4) - 0.055);
/** Codes of light in [0, 1], in steps much finer than a code. */
const CODES = Float32Array.from({ length: 65537 }, (_, i) => 255 * srgb(i / 65536));
const DITHER = Float32Array.from({ length: 65536 }, (_, i) => chance(i));

const LOOKS = 6;
const SIDE = 600;
const CIRCLE = 585;
const HALF_ANGLE = 95;
/** What the camera writes, and how long it is really open. */
const SHUTTERS = [
  ['1/2', 2], ['1/8', 8], ['1/30', 32], ['1/125', 128], ['1/500', 512], ['1/2000', 2048], ['1/8000', 8192],
] as const; // prettier-ignore

const two = (n: number) => String(n).padStart(2, '0');
/** What a clock in the zone of the place shows (British summer time), no offset written. */
const onTheClock = (ms: number) => {
  const t = new Date(ms + 3600000 + 1000 * CLOCK_FAST_S);
  return {
    second: `${t.getUTCFullYear()}:${two(t.getUTCMonth() + 1)}:${two(t.getUTCDate())} ${two(t.getUTCHours())}:${two(t.getUTCMinutes())}:${two(t.getUTCSeconds())}`,
    part: String(t.getUTCMilliseconds()).padStart(3, '0'),
  };
};

/** One look of the head: light of every pixel of its fisheye. */
function look(heading: number, atMs: number): Float32Array {
  const at = almanacSun(atMs, PLACE.latitude, PLACE.longitude);
  const sun = toward(at.azimuth, at.elevation);
  const [ahead, right] = [toward(heading, 0), toward(heading + 90, 0)];
  const out = new Float32Array(3 * SIDE * SIDE);
  const perPixel = (2 * HALF_ANGLE) / CIRCLE;
  for (let y = 0; y < SIDE; y++) {
    for (let x = 0; x < SIDE; x++) {
      const [u, v] = [x + 0.5 - SIDE / 2, SIDE / 2 - y - 0.5];
      const r = Math.hypot(u, v);
      // Equidistant: the angle off the axis grows with the radius.
      const theta = r * perPixel;
      if (theta > HALF_ANGLE) continue;
      const [s, c] = [r > 0 ? Math.sin(theta * RAD) / r : 0, Math.cos(theta * RAD)];
      const d: Direction = [c * ahead[0] + s * u * right[0], c * ahead[1] + s * u * right[1], s * v];
      out.set(light(d, sun, perPixel), 3 * (y * SIDE + x));
    }
  }
  return out;
}

/** Somebody who walks through one look: where the dark figure stands in each of its frames, degrees to the right of its middle; null where it is not. */
export interface Passer {
  look: number;
  stands: (number | null)[];
}

/** The light of a look with a figure of 12 x 45 degrees before it, upright and through the middle. */
function withFigure(seen: Float32Array, at: number): Float32Array {
  const out = seen.slice();
  const perPixel = (2 * HALF_ANGLE) / CIRCLE;
  const column = SIDE / 2 + at / perPixel;
  const [half, high] = [6 / perPixel, 22.5 / perPixel];
  for (let y = Math.round(SIDE / 2 - high); y < SIDE / 2 + high; y++)
    out.fill(0.02, 3 * (y * SIDE + Math.round(column - half)), 3 * (y * SIDE + Math.round(column + half)));
  return out;
}

/** What the rig's words are for this head: its circle stops short of the frame. */
export const HEAD = { projection: 'equidistant' as const, fovDeg: (2 * HALF_ANGLE * SIDE) / CIRCLE, views: LOOKS };

/** Writes the frames of a head of six looks, as the card would hold them. Returns their paths. */
export async function shootHead(folder: string, passer?: Passer): Promise<string[]> {
  const files: string[] = [];
  const rows: string[] = [
    'SourceFile,DateTimeOriginal,SubSecTimeOriginal,ExposureTime,FNumber,ISO,FocalLength,Model,ColorSpace',
  ];
  for (let k = 0; k < LOOKS; k++) {
    const began = BEGAN + 1000 * SECONDS_A_LOOK * k;
    // A head is never set to its mark exactly.
    const seen = look(FIRST_HEADING + 60 * k + 0.6 * (chance(k + 7) - 0.5), began + 1500);
    for (let j = 0; j < SHUTTERS.length; j++) {
      const [tag, open] = SHUTTERS[j];
      const at = passer?.look === k ? passer.stands[j] : null;
      const now = at === null || at === undefined ? seen : withFigure(seen, at);
      const codes = new Uint8Array(now.length);
      for (let i = 0; i < now.length; i++)
        codes[i] = Math.floor(
          CODES[Math.round(65536 * Math.min(1, (2 * now[i]) / open))] + DITHER[(i * 7 + 977 * j) & 65535],
        );
      const file = path.join(folder, `head-${String(k * SHUTTERS.length + j + 1).padStart(4, '0')}.jpg`);
      await sharp(codes, { raw: { width: SIDE, height: SIDE, channels: 3 } })
        .jpeg({ quality: 95, chromaSubsampling: '4:4:4' })
        .toFile(file);
      const { second, part } = onTheClock(began + 400 * j);
      rows.push([file, second, part, tag, 8, 100, 8, 'Tarn P6', 'sRGB'].join(','));
      files.push(file);
    }
  }
  const table = path.join(folder, 'tags.csv');
  await fs.writeFile(table, `${rows.join('\n')}\n`);
  execFileSync('exiftool', ['-q', '-overwrite_original', `-csv=${table}`, folder, '-ext', 'jpg']);
  return files;
}

/** A logarithmic recording of nobody's camera: a line below the break, a logarithm above. */
const LOG = { slope: 0.24, offset: 0.41, gain: 6.1, lift: 0.047, edge: 0.011 };
const logarithm = (x: number) => LOG.slope * Math.log10(LOG.gain * x + LOG.lift) + LOG.offset;
const steep = (LOG.slope * LOG.gain) / ((LOG.gain * LOG.edge + LOG.lift) * Math.LN10);
const encoded = (x: number) => (x <= LOG.edge ? logarithm(LOG.edge) + steep * (x - LOG.edge) : logarithm(x));

/** The curve as its maker would give it. */
export const CURVE_FILE = `<?xml version="1.0" encoding="UTF-8"?>
<ProcessList xmlns="urn:AMPAS:CLF:v3.0" id="staithe-log" name="Staithe log" compCLFversion="3.0">
  <InputDescriptor>Staithe log</InputDescriptor>
  <OutputDescriptor>scene-linear</OutputDescriptor>
  <Log inBitDepth="32f" outBitDepth="32f" style="cameraLogToLin">
    <LogParams base="10" linSideSlope="${LOG.gain}" linSideOffset="${LOG.lift}" logSideSlope="${LOG.slope}" logSideOffset="${LOG.offset}" linSideBreak="${LOG.edge}"/>
  </Log>
</ProcessList>
`;

/** Of the head: f/8 and a fifth of the light lost in glass, ISO 100. A frame is full at a light of 1 when it is open for half a second. */
const HEAD_EXPOSURE = (0.5 * 100) / 100 / (64 / 0.8);
/** Of the plate as it is logged: T8, EI 800, 180 degrees at 24 frames a second. */
const PLATE_EXPOSURE = ((1 / 48) * 800) / 100 / 64;
/** The plate camera is this much faster than its tags say. */
export const OFF_STOPS = 0.1;
/** Plate value of a light of 1. */
const PLATE_PER_LIGHT = (PLATE_EXPOSURE / HEAD_EXPOSURE) * 2 ** OFF_STOPS;
/** Plate over panorama: the panorama holds light over exposure. */
export const GAIN_STOPS = Math.log2(PLATE_EXPOSURE) + OFF_STOPS;
/** The card in the plate, scene-linear. */
export const CARD_IN_PLATE = CARD_LIGHT * PLATE_PER_LIGHT;

const [WIDE, HIGH] = [960, 540];
const FIELD = 50;
/** Where the plate camera looks. */
export const PLATE_HEADING = 146;

/** When the plate's first frame was recorded. */
export const ROLLED = BEGAN + 300000;

/** Writes a clip of the plate: ten frames of 10 bits, legal range, and not a word of what its codes mean. Returns its path. */
export async function recordPlate(folder: string): Promise<string> {
  const at = almanacSun(ROLLED, PLACE.latitude, PLACE.longitude);
  const sun = toward(at.azimuth, at.elevation);
  const focal = WIDE / 2 / Math.tan((FIELD / 2) * RAD);
  const [ahead, right, up] = [toward(PLATE_HEADING, -3), toward(PLATE_HEADING + 90, 0), toward(PLATE_HEADING, 87)];
  const pixels = WIDE * HIGH;
  const planes = new Uint16Array(3 * pixels);
  for (let y = 0; y < HIGH; y++) {
    for (let x = 0; x < WIDE; x++) {
      const [u, v] = [(x + 0.5 - WIDE / 2) / focal, (HIGH / 2 - y - 0.5) / focal];
      const raw = [0, 1, 2].map((c) => ahead[c] + u * right[c] + v * up[c]);
      const size = Math.hypot(...raw);
      const [r, g, b] = light([raw[0] / size, raw[1] / size, raw[2] / size], sun, FIELD / WIDE).map((l) =>
        Math.min(1.09, encoded(PLATE_PER_LIGHT * l)),
      );
      // ITU-R BT.709's luma and colour differences.
      const luma = 0.2126 * r + 0.7152 * g + 0.0722 * b;
      const p = y * WIDE + x;
      const kept = (value: number) => Math.max(4, Math.min(1019, Math.floor(value + chance(p))));
      planes[p] = kept(64 + 876 * luma);
      planes[pixels + p] = kept(512 + (896 * (b - luma)) / 1.8556);
      planes[2 * pixels + p] = kept(512 + (896 * (r - luma)) / 1.5748);
    }
  }
  const file = path.join(folder, 'roll4-11.mkv');
  const frame = Buffer.from(planes.buffer);
  execFileSync(
    'ffmpeg',
    [
      ...[
        '-v',
        'error',
        '-y',
        '-f',
        'rawvideo',
        '-pix_fmt',
        'yuv444p10le',
        '-s',
        `${WIDE}x${HIGH}`,
        '-r',
        '24',
        '-i',
        '-',
      ],
      ...['-metadata', `creation_time=${new Date(ROLLED).toISOString()}`, '-c:v', 'ffv1', file],
    ],
    { input: Buffer.concat(Array.from({ length: 10 }, () => frame)) },
  );
  return file;
}
