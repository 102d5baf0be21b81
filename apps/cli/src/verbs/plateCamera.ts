import type { Command } from 'commander';
import { z } from 'zod';
import { cameraFromStrokes } from '@tawny/core';
import { lensSchema, onPicture } from '../lensFile';
import { printResult } from '../output';
import { readJson } from '../readJson';

const positive = z.number().positive();
const point = z.tuple([z.number(), z.number()]);
const logged = z.strictObject({ value: z.number(), uncertainty: positive });

const strokesSchema = z.strictObject({
  widthPx: positive,
  heightPx: positive,
  gateWidthMm: positive,
  gateHeightMm: positive,
  squeeze: positive.default(1),
  sigmaPx: positive.default(0.7),
  families: z
    .array(
      z.strictObject({
        kind: z.enum(['vertical', 'level', 'free']),
        azimuthDeg: z.number().nullable().default(null),
        strokes: z.array(z.tuple([z.number(), z.number(), z.number(), z.number()])),
      }),
    )
    .min(1),
  focalLengthMm: positive.nullable().default(null),
  cameraHeightM: positive.nullable().default(null),
  lens: lensSchema.nullable().default(null),
  prior: z
    .strictObject({
      focalLengthMm: logged.optional(),
      tiltDeg: logged.optional(),
      rollDeg: logged.optional(),
      cameraHeightM: logged.optional(),
    })
    .nullable()
    .default(null),
  knownLength: z
    .strictObject({ from: point, to: point, lengthM: positive, lying: z.enum(['ground', 'vertical']) })
    .nullable()
    .default(null),
});

export function addPlateCamera(program: Command): void {
  program
    .command('plate-camera')
    .description(
      "a plate's focal length, tilt, roll, heading and height from strokes along parallel edges; a surveyed family's azimuth is that along which its edges run away from the camera",
    )
    .requiredOption('--strokes <file>', 'JSON of the picture, its gate and the families of strokes')
    .option('--json', 'print one JSON object')
    .action(async (o: { strokes: string; json?: boolean }) => {
      const f = await readJson(o.strokes, strokesSchema);
      const lens = f.lens && onPicture(f.lens, f.widthPx, f.heightPx);
      const found = cameraFromStrokes({ ...f, lens });
      printResult(
        {
          focalLengthPx: found.focalLengthPx,
          focalLengthMm: found.focalLengthMm,
          headingDeg: found.headingDeg,
          tiltDeg: found.tiltDeg,
          rollDeg: found.rollDeg,
          eastM: null,
          upM: found.upM,
          northM: null,
          residualPx: found.residualPx,
          uncertainty: {
            focalLengthMm: found.uncertainty.focalLengthMm,
            headingDeg: found.uncertainty.headingDeg,
            tiltDeg: found.uncertainty.tiltDeg,
            rollDeg: found.uncertainty.rollDeg,
            positionM: null,
            upM: found.uncertainty.upM,
          },
          verdict: found.verdict,
          cause: found.cause,
          degenerate: found.degenerate,
          strokes: found.strokes,
        },
        o.json === true,
      );
    });
}
