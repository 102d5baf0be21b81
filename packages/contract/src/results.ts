import { z } from 'zod';
import { falloffSchema, keptResponseSchema } from './kit';
import { instant, recordFields, uuid } from './common';
import { productionSchema } from './days';
import { basisSchema } from './facts';
import { decodingSchema, statedDecodingSchema } from './decoding';

export const frameSchema = z.object({
  id: uuid,
  roundId: uuid,
  name: z.string(),
  hash: z.string(),
  widthPx: z.number(),
  heightPx: z.number(),
  bits: z.number(),
  /** What its file says that its code values mean; null when it is silent. */
  fileDecoding: decodingSchema.nullable(),
  fileDecodingSource: z.string(),
  /** Null when the file does not tell: its exposure (0) then comes from the pictures. */
  shutterS: z.number().nullable(),
  fNumber: z.number().nullable(),
  iso: z.number().nullable(),
  exposure: z.number(),
  takenAt: z.string().nullable(),
  /** Whose zone its time was read in: stated in the file, or that of the location; null without a time, or when nobody knows. */
  zoneFrom: z.enum(['file', 'location']).nullable(),
  /** Mean linear level of a 16 x 16 grid. */
  look: z.array(z.number()).nullable(),
  /** Where the camera looked, when the file or the phone's sensor says so. */
  headingDeg: z.number().nullable(),
  tiltDeg: z.number().nullable(),
  rollDeg: z.number().nullable(),
  /** Bearing by the camera's own compass, as its file says, and by whose north. */
  compassDeg: z.number().nullable(),
  compassNorth: z.enum(['true', 'magnetic']).nullable(),
});
export type Frame = z.infer<typeof frameSchema>;

/** Frames of a round sorted into views, before any pixel is merged. */
export const groupingSchema = z.object({
  views: z.array(
    z.object({
      frames: z.array(
        z.object({
          id: uuid,
          name: z.string(),
          exposure: z.number(),
          shutterS: z.number().nullable(),
          bits: z.number(),
        }),
      ),
      notes: z.array(z.string()),
    }),
  ),
  ladderEv: z.array(z.number()),
  /** Pixels around the horizon that the frames can show, by the rig's stated angle; null without frames, or of a rig that cannot be. */
  detailPx: z.number().nullable(),
  certain: z.boolean(),
  notes: z.array(z.string()),
});
export type GroupingResult = z.infer<typeof groupingSchema>;

/** A file of an upload that was refused, while others were kept. */
export const refusedFileSchema = z.object({ file: z.string(), code: z.string(), message: z.string() });
export type RefusedFile = z.infer<typeof refusedFileSchema>;
/** What an upload left: records of the files that were good, the others by name. A file that was there already is its record. */
export const takenIn = <T extends z.ZodType>(item: T) =>
  z.object({ items: z.array(item), problems: z.array(refusedFileSchema) });

export const uploadResultSchema = z.object({
  accepted: z.array(frameSchema),
  duplicates: z.array(z.string()),
  problems: z.array(refusedFileSchema),
});
export type UploadResult = z.infer<typeof uploadResultSchema>;

export const sunSchema = z.object({
  azimuthDeg: z.number(),
  elevationDeg: z.number(),
  diameterDeg: z.number(),
  clipped: z.boolean(),
  illuminanceNormal: z.number(),
  contrast: z.number(),
  /** Told a sun only because the almanac has it at this height; left out of panoramas from before that was asked. */
  witnessed: z.boolean().optional(),
  uncertaintyDeg: z.number(),
});
export type FoundSun = z.infer<typeof sunSchema>;

/** Width of a tile of the full panorama, px; it is half as high. Panoramas that wide or narrower are one tile. */
export const PANORAMA_TILE = 1024;

const workingSpaceSchema = productionSchema.shape.workingSpace;

export const panoramaSchema = z.object({
  ...recordFields,
  roundId: uuid,
  number: z.number(),
  /** Working space of its pixels. */
  space: workingSpaceSchema,
  widthPx: z.number(),
  heightPx: z.number(),
  exrHash: z.string(),
  /** Mask and relative uncertainty of every pixel; null for a panorama from elsewhere. */
  measureHash: z.string().nullable(),
  dynamicRangeStops: z.number(),
  clippedSr: z.number(),
  uncoveredSr: z.number(),
  seamStops: z.number().nullable(),
  illuminanceHorizontal: z.number(),
  meanLuminance: z.number(),
  framesPerView: z.number(),
  histogram: z.object({ firstStop: z.number(), binsPerStop: z.number(), sr: z.array(z.number()) }),
  sun: sunSchema.nullable(),
  /** The frame that its disc was taken from; null when that is not known. */
  sunFrameId: uuid.nullable(),
  warnings: z.array(z.string()),
  /** The check sheet: each quantity with a verdict and what to do. */
  checks: z.array(
    z.object({
      name: z.string(),
      value: z.number().nullable(),
      unit: z.string(),
      verdict: z.enum(['good', 'doubtful', 'lost']),
      words: z.string(),
    }),
  ),
  /** What was chosen for this build. */
  /** What was chosen for the build, or how a panorama from elsewhere lay. */
  options: z.record(
    z.string(),
    z.union([z.string(), z.boolean(), z.number(), z.array(z.record(z.string(), z.number()))]),
  ),
  /** Things that stood in some views only, in the panorama's own frame; each was taken whole from one view, counted from 0. */
  moved: z.array(
    z.object({ azimuthDeg: z.number(), elevationDeg: z.number(), solidAngleSr: z.number(), view: z.number() }),
  ),
  /** 95 % half width of how level the panorama is, as upright things in it tell; null when they tell too little. */
  levelDeg: z.number().nullable(),
  /** What the build learnt of the rig; null where nothing was fitted, and of panoramas from before it was kept. */
  learned: z
    .object({
      /** Of the bare projection over the extent that was stated, and what was stated. */
      fovDeg: z.number(),
      statedFovDeg: z.number(),
      focalUncertainty: z.number(),
      poly: z.tuple([z.number(), z.number()]),
      /** Null of rounds from before it was kept. */
      falloff: falloffSchema.nullable().default(null),
      /** Entrance pupil ahead of the axis, mm for every metre of the axis's height. */
      pupilMmPerM: z.number(),
      /** Largest departure of the response from the curve that was stated, stops; null where that curve held. */
      responseDepartureStops: z.number().nullable(),
      /** The response as the frames told it; null where they told too little, and of rounds from before it was kept. */
      response: keptResponseSchema.nullable().default(null),
      /** Real over nominal exposure, longest first. */
      exposureFactors: z.array(z.number()),
    })
    .nullable(),
  /** What the compass of the camera says of its turn; null where no frame told a bearing. */
  viewsCompass: z
    .object({
      turnDeg: z.number(),
      uncertaintyDeg: z.number(),
      spreadDeg: z.number(),
      views: z.number(),
      north: z.enum(['true', 'magnetic']),
    })
    .nullable(),
  buildSeconds: z.number(),
  log: z.array(z.string()),
  basis: basisSchema,
});
export type Panorama = z.infer<typeof panoramaSchema>;

/** What a plate's picture is like: measured of it as it was decoded then, in linear light. */
export const plateCharacterSchema = z.object({
  /** Darkest level of each channel. */
  black: z.tuple([z.number(), z.number(), z.number()]),
  grain: z.object({
    /** Level, and one standard deviation of a channel there, from dark to bright. */
    sigmaAt: z.array(z.tuple([z.number(), z.number()])),
    /** Full width of its autocorrelation at half its height. */
    sizePx: z.number(),
    /** Between two channels, mean. */
    channelCorrelation: z.number(),
  }),
  /** Sigma of the Gaussian of its sharpest edges; null when it shows none. */
  edgeBlurPx: z.number().nullable(),
});
export type PlateCharacterRecord = z.infer<typeof plateCharacterSchema>;
export const plateSchema = z.object({
  ...recordFields,
  takeId: uuid,
  /** The reference that it is: a photograph of a card, chart or ball, and no frame of the take's picture. */
  referenceId: uuid.nullable(),
  name: z.string(),
  hash: z.string(),
  widthPx: z.number(),
  heightPx: z.number(),
  bits: z.number(),
  exposure: z.number(),
  exposureSource: z.enum(['file', 'log']),
  decoding: statedDecodingSchema,
  /** Null until it was measured, and again when its code values are said to mean something else. */
  character: plateCharacterSchema.nullable(),
});
export const plateChange = z.object({
  /** What its code values mean, said by a person; null leaves it to the file and the kit. */
  decoding: decodingSchema.nullable(),
  version: z.number().int().positive(),
});
export type Plate = z.infer<typeof plateSchema>;
/** Frames of a take's picture before photographs of cards and balls, else in their order: what a take looks like is told by the first. */
export const picturesFirst = <P extends Pick<Plate, 'referenceId'>>(plates: readonly P[]): P[] => [
  ...plates.filter((p) => p.referenceId === null),
  ...plates.filter((p) => p.referenceId !== null),
];

export const handoffInput = z.object({
  id: uuid,
  setupId: uuid,
  panoramaId: uuid,
  takeId: uuid,
  /** The sun's light is aimed as the sun stood at the take; else it stays where it was photographed. */
  reaim: z.boolean().default(true),
});
export const handoffSchema = z.object({
  ...recordFields,
  setupId: uuid,
  panoramaId: uuid,
  takeId: uuid,
  number: z.number(),
  fileName: z.string(),
  sizeBytes: z.number(),
  hash: z.string(),
  files: z.array(z.object({ path: z.string(), sizeBytes: z.number() })),
  missing: z.array(z.string()),
  basis: basisSchema,
});
export type Handoff = z.infer<typeof handoffSchema>;

export const simulateRoundInput = z.object({
  views: z.number().int().min(3).max(12),
  frames: z.number().int().min(1).max(9),
  stepEv: z.number().min(1).max(3),
  widthPx: z.number().int().min(256).max(4096).multipleOf(4),
});
/** Where the stand-in phone looks, and the shutter that the browser could lock; null where the phone chooses. */
export const simulatedPhoneInput = z.object({
  headingDeg: z.number().min(-720).max(720),
  tiltDeg: z.number().min(-90).max(90),
  rollDeg: z.number().min(-180).max(180),
  fovDeg: z.number().min(20).max(120),
  shutterS: z.number().positive().max(1).nullable(),
});
export const phoneFrameSchema = z.object({ jpegBase64: z.string(), shutterS: z.number(), iso: z.number() });
export type PhoneFrame = z.infer<typeof phoneFrameSchema>;
/** What one frame says of the light, nominal cd/m². */
export const testFrameSchema = z.object({
  darkest: z.number(),
  brightest: z.number(),
  clippedShare: z.number(),
  darkShare: z.number(),
});
export type TestFrameResult = z.infer<typeof testFrameSchema>;
export const buildInput = z.object({
  widthPx: z.number().int().min(256).max(16384).multipleOf(2).default(4096),
  moved: z.boolean().default(true),
  camera: z.enum(['file', 'round']).default('round'),
  geometry: z.enum(['metadata', 'features', 'refined']).default('refined'),
  nadir: z.enum(['fill', 'keep']).default('keep'),
  level: z.boolean().default(true),
  /** By how many stops the frames of a bracket must differ to count as moved. */
  movedStops: z.number().min(0.1).max(3).default(0.32),
  /** What lies within this many degrees of straight down counts as not seen. */
  tripodDeg: z.number().min(0).max(45).default(0),
  /** Places in the panorama's own frame that are to come whole from one view, counted from 0. */
  areas: z
    .array(
      z.object({
        azimuthDeg: z.number().min(-360).max(720),
        elevationDeg: z.number().min(-90).max(90),
        radiusDeg: z.number().min(0.5).max(40),
        view: z.number().int().min(0).max(200),
      }),
    )
    .max(60, 'At most 60 areas')
    .default([]),
});
export type ChosenArea = BuildInput['areas'][number];
export type BuildInput = z.infer<typeof buildInput>;
/** Angle around the sun that the cover hides. */
export const measureGlareInput = z.object({ coverDeg: z.coerce.number().min(2).max(40).default(5) });
/** SHA-256 of files that are about to be sent. */
export const knownFramesInput = z.object({
  hashes: z
    .array(z.string().regex(/^[0-9a-f]{64}$/, 'Hashes are 64 hexadecimal digits'))
    .min(1)
    .max(500),
});
/** How a panorama from elsewhere lies: which azimuth its left edge shows is measured later, but not what is up and whether it is seen from outside. */
export const importPanoramaInput = z.object({
  mirrored: z.stringbool().default(false),
  upsideDown: z.stringbool().default(false),
});
/** Two versions of a panorama against each other, stops of luminance by solid angle. */
export const differenceSchema = z.object({
  medianStops: z.number(),
  p95Stops: z.number(),
  changedPercent: z.number(),
  widthPx: z.number(),
});
export type PanoramaDifference = z.infer<typeof differenceSchema>;
/** Rows of a table that was offered for import, each with what is wrong in it. */
export const importResultSchema = z.object({
  columns: z.array(z.string()),
  /** Field to column name, as used. */
  mapping: z.record(z.string(), z.string()),
  delimiter: z.string(),
  encoding: z.string(),
  decimalComma: z.boolean(),
  rows: z.array(
    z.object({
      row: z.number(),
      label: z.string(),
      faults: z.array(z.object({ field: z.string(), message: z.string() })),
    }),
  ),
  imported: z.number(),
  dryRun: z.boolean(),
});
export type ImportResult = z.infer<typeof importResultSchema>;
export const takeImportInput = z.object({
  setupId: uuid,
  fileName: z.string().max(200),
  contentBase64: z.string().max(14_000_000, 'The file is larger than 10 MB'),
  mapping: z.record(z.string(), z.string()).optional(),
  dryRun: z.boolean(),
  acceptRest: z.boolean().default(false),
});

/** Cells that a file's metadata fills. */
export const fileCellsSchema = z.object({
  file: z.string(),
  widthPx: z.number().nullable(),
  heightPx: z.number().nullable(),
  cells: z.record(z.string(), z.union([z.number(), z.string()])),
  unknownLens: z.string().nullable(),
  unknownBody: z.string().nullable(),
  notes: z.array(z.string()),
});
export type FileCells = z.infer<typeof fileCellsSchema>;

export const clipSchema = z.object({
  ...recordFields,
  takeId: uuid,
  name: z.string(),
  kind: z.enum(['video', 'sequence']),
  hash: z.string().nullable(),
  widthPx: z.number(),
  heightPx: z.number(),
  fps: z.number(),
  frames: z.number(),
  startTimecode: z.string().nullable(),
  /** Instant of its first frame, and what that rests on. */
  startsAt: z.string().nullable(),
  startsAtFrom: z.string(),
  stripFrames: z.array(z.number()),
  decoding: statedDecodingSchema,
});
export type Clip = z.infer<typeof clipSchema>;
export { instant };
