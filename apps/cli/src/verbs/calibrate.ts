import type { Command } from 'commander';
import { z } from 'zod';
import {
  directionFromAngles,
  illuminance,
  luminance,
  regionLuminance,
  solveNetwork,
  type NetworkMeter,
  type RgbImage,
} from '@tawny/core';
import { readPanorama } from '@tawny/pipeline';
import { statedDecoding, withDecodingOptions, type DecodingFlags } from '../decodingOptions';
import { printResult, say } from '../output';
import { readJson } from '../readJson';

const positive = z.number().positive();
const uncertainty = z.number().positive();
const normal = z
  .tuple([z.number(), z.number().min(-90).max(90)])
  .nullable()
  .default(null);
const time = z.iso.datetime({ offset: true }).nullable().default(null);

const schema = z.strictObject({
  panorama: z
    .strictObject({
      rigResponsivity: z.strictObject({ value: positive, uncertaintyStops: uncertainty }).nullable().default(null),
      time,
    })
    .default({ rigResponsivity: null, time: null }),
  takes: z
    .array(
      z.strictObject({
        id: z.string().min(1),
        body: z.string().min(1),
        fStop: positive.nullable().default(null),
        tStop: positive.nullable().default(null),
        shutterS: positive,
        ei: positive,
        ndStops: z.number().min(0).default(0),
        time,
      }),
    )
    .default([]),
  cards: z
    .array(
      z.strictObject({
        name: z.string().optional(),
        take: z.string().nullable().default(null),
        value: positive,
        uncertaintyStops: uncertainty,
        reflectance: positive.max(1).default(0.18),
        normal,
        time,
      }),
    )
    .default([]),
  meters: z
    .array(
      z.strictObject({
        name: z.string().optional(),
        kind: z.enum(['lux', 'cdm2']),
        value: positive,
        uncertaintyStops: uncertainty,
        normal,
        region: z
          .tuple([z.number(), z.number().min(-90).max(90), positive])
          .nullable()
          .default(null),
        time,
      }),
    )
    .default([]),
  driftStopsPerHour: z.number().min(0).nullable().default(null),
});

/** 95 % half width of what a built panorama says of illuminance or of a region's luminance, stops (docs/accuracy.md, radiance). */
const PANORAMA_STOPS = 0.05;

const facing = (n: [number, number] | null) => n && { azimuthDeg: n[0], elevationDeg: n[1] };

/** What a panorama says of a reading; null when it cannot. */
function seenBy(panorama: RgbImage | null, m: z.output<typeof schema>['meters'][number]): NetworkMeter['seenByPanorama'] {
  if (!panorama) return null;
  const told = (value: number) => (value > 0 ? { value, uncertaintyStops: PANORAMA_STOPS } : null);
  if (m.kind === 'lux')
    return m.normal && told(luminance(...illuminance(panorama, directionFromAngles(...m.normal)), panorama.space));
  return m.region && told(regionLuminance(panorama, directionFromAngles(m.region[0], m.region[1]), m.region[2]));
} // prettier-ignore

export function addCalibrate(program: Command): void {
  withDecodingOptions(
    program
      .command('calibrate')
      .description(
        "gains of all takes and the panorama's scale from cards, meters, settings and the rig's history, joined",
      ),
  )
    .requiredOption('--sources <file>', 'JSON of takes, cards and meters')
    .option(
      '--panorama <file>',
      'the panorama in its own unit: what it says of the planes and regions that were metered',
    )
    .option('--json', 'print one JSON object')
    .action(async (o: DecodingFlags & { sources: string; panorama?: string; json?: boolean }) => {
      const f = await readJson(o.sources, schema);
      const panorama =
        o.panorama === undefined ? null : (await readPanorama(o.panorama, undefined, await statedDecoding(o))).image;
      // What states no time was seen with the panorama, as far as anybody knows.
      const stated = [f.panorama, ...f.cards.filter((c) => c.take === null), ...f.cards, ...f.meters, ...f.takes];
      const first = stated.find((s) => s.time !== null)?.time ?? null;
      const at = (text: string | null) => {
        const known = text ?? first;
        return known === null ? 0 : new Date(known).getTime();
      };
      const meters = f.meters.map(({ time: t, normal: n, region: _region, ...m }, k) => ({
        ...m,
        name: m.name ?? `${m.kind === 'lux' ? 'lux' : 'spot'} ${k + 1}`,
        normal: facing(n),
        seenByPanorama: seenBy(panorama, f.meters[k]),
        timeMs: at(t),
      }));
      for (const m of meters)
        if (m.kind === 'cdm2' && !m.seenByPanorama)
          say(`${m.name}: a luminance tells nothing without --panorama and its region`);
      const found = solveNetwork({
        panorama: {
          rigResponsivity: f.panorama.rigResponsivity,
          timeMs: f.panorama.time === null ? null : at(f.panorama.time),
        },
        takes: f.takes.map(({ time: t, ...take }) => ({ ...take, timeMs: at(t) })),
        cards: f.cards.map(({ time: t, normal: n, ...c }, k) => ({
          ...c,
          name: c.name ?? (c.take === null ? `card ${k + 1} in the panorama` : `card ${k + 1} in ${c.take}`),
          normal: facing(n),
          timeMs: at(t),
        })),
        meters,
        driftStopsPerHour: f.driftStopsPerHour,
      });
      printResult({ ...found }, o.json === true);
    });
}
