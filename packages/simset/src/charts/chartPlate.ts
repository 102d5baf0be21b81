import { createImage, fitHomography, inverseHomography, mapPoint, RELATIVE_REC709, type Corners, type Point, type RgbImage } from '@tawny/core'; // prettier-ignore
import { createRandom, type Random } from '../random';
import { daylight, diode, filament } from '../spectra/lights';
import { PLATE_CAMERA, seenBy } from '../spectra/instruments';
import { anySurface, CHART } from '../spectra/surfaces';
import { mixed, scaled, times, type Spectrum } from '../spectra/spectrum';

export interface ChartPlateInput {
  seed: number;
  widthPx: number;
  heightPx: number;
  chart: boolean;
}

export interface ChartPlate {
  image: RgbImage;
  /** Truth: corners of the field of patches as `sampleChart` wants them; null without a chart. */
  corners: Corners | null;
  mirrored: boolean;
  /** Patches that something stands before. */
  covered: string[];
  /** What each patch sends on, without shade, noise and blur. */
  colours: [number, number, number][];
}

/** Of a cell's side, the gap between patches, and the board's border. */
const GAP = 0.14;
const BORDER = 0.35;

/** A picture to be overwritten by things: colours are what the plate's camera makes of surfaces under the light. */
interface Canvas {
  image: RgbImage;
  random: Random;
  light: Spectrum;
  camera: (surface: Spectrum) => [number, number, number];
}

const fill = ({ image }: Canvas, inside: (x: number, y: number) => boolean, colour: (x: number, y: number) => readonly number[]) => {
  for (let y = 0; y < image.height; y++)
    for (let x = 0; x < image.width; x++)
      if (inside(x + 0.5, y + 0.5)) image.data.set(colour(x, y), 3 * (y * image.width + x));
}; // prettier-ignore

/** Walls, boxes, poles, windows, tiles in a row, a poster of coloured squares: what looks like a chart and is none. */
function clutter(canvas: Canvas): void {
  const { image, random, camera } = canvas;
  const { width, height } = image;
  const ground = camera(anySurface(random));
  const sky = camera(scaled(anySurface(random), 1.5));
  const rise = 0.3 + 0.4 * random.next();
  fill(canvas, () => true, (x, y) => (y < rise * height ? sky : ground).map((v) => v * (0.7 + (0.5 * y) / height + (0.2 * x) / width))); // prettier-ignore
  for (let k = 0; k < 14; k++) {
    const colour = camera(scaled(anySurface(random), 0.3 + 1.4 * random.next()));
    const [cx, cy] = [width * random.next(), height * random.next()];
    const [rx, ry] = [width * (0.02 + 0.15 * random.next()), height * (0.03 + 0.25 * random.next())];
    const turn = random.next() < 0.6 ? 0 : Math.PI * random.next();
    const round = random.next() < 0.3;
    const shading = 0.5 * random.normal();
    const local = (x: number, y: number): Point => [
      ((x - cx) * Math.cos(turn) + (y - cy) * Math.sin(turn)) / rx,
      (-(x - cx) * Math.sin(turn) + (y - cy) * Math.cos(turn)) / ry,
    ];
    fill(
      canvas,
      (x, y) => {
        const [u, v] = local(x, y);
        return round ? u * u + v * v < 1 : Math.abs(u) < 1 && Math.abs(v) < 1;
      },
      (x, y) => colour.map((c) => c * Math.exp(shading * local(x, y)[0])),
    );
  }
  // A row of tiles or panes, all alike; at times a poster, every field another colour.
  const poster = random.next() < 0.35;
  const [columns, rows] = [3 + Math.floor(5 * random.next()), 3 + Math.floor(3 * random.next())];
  const side = width * (0.015 + 0.03 * random.next());
  const [left, top] = [(width - columns * side) * random.next(), (height - rows * side) * random.next()];
  const tile = camera(anySurface(random));
  const joint = camera(scaled(anySurface(random), 0.4));
  const fields = Array.from({ length: columns * rows }, () => (poster ? camera(anySurface(random)) : tile));
  fill(
    canvas,
    (x, y) => x > left && y > top && x < left + columns * side && y < top + rows * side,
    (x, y) => {
      const [u, v] = [(x - left) / side, (y - top) / side];
      const [i, j] = [Math.floor(u), Math.floor(v)];
      const gap = Math.min(u - i, i + 1 - u, v - j, j + 1 - v) < 0.08;
      return gap ? joint : fields[Math.min(fields.length - 1, Math.max(0, j) * columns + Math.max(0, i))];
    },
  );
}

/** A chart on its dark board, in a pose; its patches drawn over what is there, each pixel the mean of nine places. */
function drawChart(canvas: Canvas, corners: Corners, colours: readonly (readonly number[])[]): void {
  const { image, camera } = canvas;
  const plane = fitHomography([[0, 0], [6, 0], [6, 4], [0, 4]], corners); // prettier-ignore
  const back = inverseHomography(plane);
  const board = camera(Array.from({ length: 41 }, () => 0.028));
  const at = (x: number, y: number): readonly number[] | null => {
    const [u, v] = mapPoint(back, [x, y]);
    if (u < -BORDER || v < -BORDER || u > 6 + BORDER || v > 4 + BORDER) return null;
    const [i, j] = [Math.floor(u), Math.floor(v)];
    if (i < 0 || j < 0 || i > 5 || j > 3) return board;
    const edge = Math.min(u - i, i + 1 - u, v - j, j + 1 - v);
    return edge < GAP / 2 ? board : colours[6 * j + i];
  };
  for (let y = 0; y < image.height; y++)
    for (let x = 0; x < image.width; x++) {
      const o = 3 * (y * image.width + x);
      const behind = [image.data[o], image.data[o + 1], image.data[o + 2]];
      const sum = [0, 0, 0];
      let any = false;
      for (const dy of [1 / 6, 0.5, 5 / 6])
        for (const dx of [1 / 6, 0.5, 5 / 6]) {
          const colour = at(x + dx, y + dy);
          any ||= colour !== null;
          for (let c = 0; c < 3; c++) sum[c] += (colour ?? behind)[c] / 9;
        }
      if (any) image.data.set(sum, o);
    }
}

/** A Gaussian blur in both directions. */
function blur(image: RgbImage, sigma: number): void {
  if (sigma < 0.2) return;
  const reach = Math.ceil(3 * sigma);
  const kernel = Array.from({ length: 2 * reach + 1 }, (_, k) => Math.exp(-(((k - reach) / sigma) ** 2) / 2));
  const total = kernel.reduce((s, v) => s + v, 0);
  const { width, height, data } = image;
  const along = (length: number, start: number, stride: number) => {
    const line = new Float32Array(length + 2 * reach);
    for (let k = 0; k < line.length; k++) line[k] = data[start + stride * Math.min(length - 1, Math.max(0, k - reach))];
    for (let k = 0; k < length; k++) {
      let sum = 0;
      for (let j = 0; j < kernel.length; j++) sum += line[k + j] * kernel[j];
      data[start + stride * k] = sum / total;
    }
  };
  for (let c = 0; c < 3; c++) {
    for (let y = 0; y < height; y++) along(width, 3 * y * width + c, 3);
    for (let x = 0; x < width; x++) along(height, 3 * x + c, 3 * width);
  }
}

/** A pose that lies whole in the picture: tilted up to 45 degrees each way, any roll, at times seen in a mirror. */
function pose(random: Random, width: number, height: number): { corners: Corners; mirrored: boolean } {
  for (;;) {
    const size = width * (0.12 + 0.38 * random.next());
    const [yaw, pitch] = [0, 1].map(() => ((random.next() - 0.5) * Math.PI) / 2);
    const roll = random.next() < 0.6 ? 0.3 * random.normal() : 2 * Math.PI * random.next();
    const mirrored = random.next() < 0.15;
    const distance = 5 + 6 * random.next();
    const [cx, cy] = [width * (0.15 + 0.7 * random.next()), height * (0.15 + 0.7 * random.next())];
    const corners = ([[-0.5, -1 / 3], [0.5, -1 / 3], [0.5, 1 / 3], [-0.5, 1 / 3]] as Point[]).map(([a, b]): Point => {
      const [u, v] = [mirrored ? -a : a, b];
      const [x, y, z] = [u * Math.cos(yaw), v * Math.cos(pitch) + u * Math.sin(yaw) * Math.sin(pitch), u * Math.sin(yaw) - v * Math.sin(pitch)];
      const k = (size * distance) / (distance + 1.4 * z);
      return [cx + k * (x * Math.cos(roll) - y * Math.sin(roll)), cy + k * (x * Math.sin(roll) + y * Math.cos(roll))];
    }) as unknown as Corners; // prettier-ignore
    const [m, n] = [0.07 * width, 0.07 * height];
    if (corners.every(([x, y]) => x > m && y > n && x < width - m && y < height - n)) return { corners, mirrored };
  }
}

/**
 * A plate of a cluttered place, with or without a 24-patch chart: spectral colours, perspective, a shadow's edge, blur, something before a few of the
 * patches, grain.
 */
export function chartPlate({ seed, widthPx, heightPx, chart }: ChartPlateInput): ChartPlate {
  const random = createRandom(seed, chart ? 'plate with a chart' : 'plate without a chart');
  const image = createImage(widthPx, heightPx, RELATIVE_REC709);
  const warm = random.next();
  const light =
    warm < 0.6 ? daylight(4500 + 4500 * random.next()) : warm < 0.8 ? filament(2800 + 500 * random.next()) : warm < 0.9 ? diode(450, random.next()) : mixed([0.5, daylight(6500)], [0.5, filament(3000)]); // prettier-ignore
  const balance = random.next() < 0.6 ? light : daylight(5600);
  const exposure = 2 ** (-1.5 + 1.5 * random.next());
  const camera = (surface: Spectrum) =>
    seenBy(PLATE_CAMERA, times(surface, light), balance).map((v) => v * exposure) as [number, number, number];
  const canvas: Canvas = { image, random, light, camera };
  clutter(canvas);
  const { corners, mirrored } = pose(random, widthPx, heightPx);
  const colours = CHART.map((s) => camera(s));
  const covered: string[] = [];
  if (chart) {
    drawChart(canvas, corners, colours);
    if (random.next() < 0.35) {
      // A hand or a cable before some of it.
      const plane = fitHomography([[0, 0], [6, 0], [6, 4], [0, 4]], corners); // prettier-ignore
      const [u, v] = random.next() < 0.5 ? [6 * random.next(), random.next() < 0.5 ? 0 : 4] : [random.next() < 0.5 ? 0 : 6, 4 * random.next()]; // prettier-ignore
      const reach = 0.5 + 0.8 * random.next();
      const back = inverseHomography(plane);
      const hand = camera(CHART[1]);
      fill(canvas, (x, y) => {
        const [a, b] = mapPoint(back, [x, y]);
        return Math.hypot(a - u, b - v) < reach;
      }, () => hand); // prettier-ignore
      for (let k = 0; k < 24; k++)
        if (Math.hypot((k % 6) + 0.5 - u, Math.floor(k / 6) + 0.5 - v) < reach + 0.36) covered.push(String(k + 1));
    }
  }
  // A shadow's edge somewhere; over the chart at times.
  if (random.next() < 0.5) {
    const turn = 2 * Math.PI * random.next();
    const [px, py] = chart && random.next() < 0.6 ? corners.reduce((s, p) => [s[0] + p[0] / 4, s[1] + p[1] / 4], [0, 0]) : [widthPx * random.next(), heightPx * random.next()]; // prettier-ignore
    const depth = 0.3 + 0.4 * random.next();
    const soft = 1 + 6 * random.next();
    for (let y = 0; y < heightPx; y++)
      for (let x = 0; x < widthPx; x++) {
        const d = ((x - px) * Math.cos(turn) + (y - py) * Math.sin(turn)) / soft;
        const k = 1 - (1 - depth) / (1 + Math.exp(-d));
        for (let c = 0; c < 3; c++) image.data[3 * (y * widthPx + x) + c] *= k;
      }
  }
  blur(image, random.next() < 0.3 ? 1.8 * random.next() : 0.5);
  const grain = 0.004 + 0.02 * random.next();
  for (let i = 0; i < image.data.length; i++) {
    const v = Math.max(0, image.data[i]);
    image.data[i] = Math.min(1, v + Math.sqrt(grain * grain * v * 0.18 + 2e-7) * random.normal());
  }
  return { image, corners: chart ? corners : null, mirrored, covered, colours };
}
