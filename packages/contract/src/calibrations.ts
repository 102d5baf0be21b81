import { z } from 'zod';
import { recordFields, uuid } from './common';
import { basisSchema, measuredSchema, provenanceSchema } from './facts';

const four = <T extends z.ZodType>(point: T) => z.tuple([point, point, point, point]);
/** Corners of a card or a chart in a plate, shares of its width and height, in their order round it; of a chart from its first patch along its first row. */
export const plateCornersSchema = four(z.tuple([z.number(), z.number()]));
/** The same in a panorama: azimuth and elevation in its own frame, degrees. */
export const panoramaCornersSchema = four(z.tuple([z.number().min(-360).max(720), z.number().min(-90).max(90)]));
export type PlateCorners = z.infer<typeof plateCornersSchema>;
export type PanoramaCorners = z.infer<typeof panoramaCornersSchema>;

/** What was adopted, and every source that spoke of it: for orientation, scale and colour alike. */
const findingFields = {
  adopted: measuredSchema,
  /** cannotTell: a single source, which nothing checks. */
  verdict: z.enum(['agrees', 'disagrees', 'cannotTell']),
  sources: z.array(
    z.object({
      name: z.string(),
      value: z.number(),
      uncertainty: z.number(),
      provenance: provenanceSchema,
      residual: z.number(),
      weight: z.number(),
      outlier: z.boolean(),
      cause: z.string().nullable(),
    }),
  ),
};
const quaternionSchema = z.tuple([z.number(), z.number(), z.number(), z.number()]);
const elevation = z.number().min(-90).max(90);
const inPanorama = {
  panoramaAzimuthDeg: z.number().min(-360).max(720),
  panoramaElevationDeg: elevation,
};
/** How well it was pointed at (95 %), as far as the screen allowed: degrees. Null of what nobody tapped. */
const pointed = z.number().gt(0).max(20);
const tapped = { withinDeg: pointed.nullable().default(null) };
/** What was seen of a panorama through a plate's lens. Directions in the panorama's own frame; uncertainties are 95 % half widths. */
export const sightInput = z.object({
  /** The plate that it was laid over; null: the panorama alone. */
  plateId: uuid.nullable(),
  /** Turned by hand until it fitted. */
  hand: z
    .object({
      rotation: quaternionSchema,
      uncertaintyDeg: z.number().min(0.02, 'At least 0.02°').max(90),
      /** About how far from the camera what it was laid on lies; null: far away. */
      distanceM: z.number().gt(0).max(100000).nullable().default(null),
    })
    .nullable()
    .default(null),
  /** The same things in plate and panorama; pixels of the plate. */
  picks: z
    .array(
      z.object({
        ...inPanorama,
        ...tapped,
        /** The same in the plate, its pixels. */
        withinPx: z.number().gt(0).max(1000).nullable().default(null),
        xPx: z.number(),
        yPx: z.number(),
        /** From the camera; null when nobody knows. */
        distanceM: z.number().gt(0).max(100000).nullable().default(null),
      }),
    )
    .max(60, 'At most 60 picks')
    .default([]),
  /** Surveyed things in the panorama: marks of the plan by the foot, or things whose direction from the station is stated. */
  marks: z
    .array(
      z
        .object({
          ...inPanorama,
          ...tapped,
          name: z.string().trim().min(1, 'Name the mark').max(60),
          /** The foot of a mark on the plan: its direction is worked out from there. */
          planMarkId: uuid.nullable().default(null),
          azimuthDeg: z.number().min(-360).max(720).nullable().default(null),
          elevationDeg: elevation.nullable().default(null),
          uncertaintyDeg: z.number().gt(0).max(45).nullable().default(null),
        })
        .refine(
          (m) => m.planMarkId !== null || [m.azimuthDeg, m.elevationDeg, m.uncertaintyDeg].every((v) => v !== null),
          {
            path: ['azimuthDeg'],
            message: 'State direction and uncertainty of a mark that is not on the plan',
          },
        ),
    )
    .max(60, 'At most 60 marks')
    .default([]),
  /** Ends of upright edges in the panorama: azimuth, elevation, azimuth, elevation, and how well they were pointed at (95 %), degrees. */
  verticals: z
    .array(z.tuple([z.number(), elevation, z.number(), elevation, pointed.optional()]))
    .max(60, 'At most 60 upright edges')
    .default([]),
  /** Points on the open horizon of the sea: azimuth, elevation, and how well it was pointed at (95 %), degrees. */
  horizon: z
    .array(z.tuple([z.number(), elevation, pointed.optional()]))
    .max(60, 'At most 60 points of the horizon')
    .default([]),
  /** Compass readings of the log, and what in the panorama the compass pointed at. */
  compass: z
    .array(z.object({ panoramaAzimuthDeg: inPanorama.panoramaAzimuthDeg, readingId: uuid }))
    .max(20, 'At most 20 compass readings')
    .default([]),
  /** Whether the compass of the camera counts, where the frames of the round told its bearings. */
  viewsCompass: z.boolean().default(true),
  /** Middle of a ring of the sun's true size laid on it by hand; partly: something hides a part of its disc. */
  sunAt: z
    .object({ ...inPanorama, ...tapped, partly: z.boolean().default(false) })
    .nullable()
    .default(null),
  /** Whether the sun counts: the one that was found, or the one under the ring. */
  sun: z.boolean().default(true),
});
export type SightInput = z.input<typeof sightInput>;
/** Picks that are proposed for a plate, for somebody to look at; none, and why. */
export const proposalsInput = z.object({ plateId: uuid });
export const proposalsSchema = z.object({
  picks: z.array(z.object({ ...inPanorama, xPx: z.number(), yPx: z.number(), score: z.number() })),
  reason: z.string().nullable(),
});
export type Proposals = z.infer<typeof proposalsSchema>;
export type Sight = z.infer<typeof sightInput>;
/** Panoramas that took a turn over, and those that keep one of their own, with how far it lies from it. */
export const sharedTurnSchema = z.object({
  panoramaIds: z.array(uuid),
  kept: z.array(z.object({ panoramaId: uuid, round: z.string(), apartDeg: z.number() })),
});
export type SharedTurn = z.infer<typeof sharedTurnSchema>;
/** Turn of the panorama to the world: degrees added to every azimuth; the whole rotation as a unit quaternion x y z w. */
export const orientationSchema = z.object({
  ...findingFields,
  frame: z.enum(['trueNorth', 'set']),
  rotation: quaternionSchema,
  /** 95 % half width about the level axes; null of one that took the level as it was. */
  tiltUncertaintyDeg: z.number().nullable().default(null),
  /** What it was solved from in the sight; null when it comes from the sun alone. */
  sight: sightInput.nullable().default(null),
  /** Where the plate's camera looked (true, 95 %), whose take logged no heading: picks tell it where something else tells north. */
  plateHeading: z.object({ takeId: uuid, value: z.number(), uncertainty: z.number() }).nullable().default(null),
  /** What is missing or degenerate, and what would resolve it. */
  degenerate: z.string().nullable().default(null),
  /** Where the sun was found and where it must have been: the check on level, clock and place; null where no sun counts. */
  sun: z
    .object({
      computedAzimuthDeg: z.number(),
      computedElevationDeg: z.number(),
      foundAzimuthDeg: z.number(),
      foundElevationDeg: z.number(),
      elevationDifferenceDeg: z.number(),
      elevationToleranceDeg: z.number(),
      utc: z.string(),
      /** Clock minus true time as the sun's height tells it; null where it was not asked. */
      clockErrorS: z.object({ value: z.number(), uncertainty: z.number() }).nullable().default(null),
      /** Whether the height would show an hour's error: about noon it cannot. */
      heightTestsHour: z.boolean().default(true),
    })
    .nullable(),
});
export type Orientation = z.infer<typeof orientationSchema>;
/** Surfaces of known reflectance that only a plate shows: balls, and matt planes that lie level or stand upright, nobody knows which way. */
export const SURFACE_KINDS = ['greyBall', 'chromeBall', 'level', 'upright'] as const;
export type SurfaceKind = (typeof SURFACE_KINDS)[number];
/** What of the kit each of them is. */
export const OBJECT_OF_SURFACE = {
  greyBall: 'greyBall',
  chromeBall: 'chromeBall',
  level: 'greyCard',
  upright: 'greyCard',
} as const satisfies Record<SurfaceKind, string>;
/** Plate value over panorama value, stops. */
export const scaleSchema = z.object({
  ...findingFields,
  card: z.object({
    plateId: uuid,
    /** None of a surface in the plate alone: nobody knows the colour of what falls on it there. */
    channelStops: z.array(z.number()),
    plateCorners: plateCornersSchema,
    /** Null of a surface that only the plate shows. */
    panoramaCorners: panoramaCornersSchema.nullable(),
    /** What stands in for a card in both: a surface of known reflectance in the plate alone, under the light that the panorama throws on it; null of a card. */
    surface: z
      .object({
        kind: z.enum(SURFACE_KINDS),
        /** Azimuth of the panorama at which the camera looked, as a ball's light and shade tell, and by how much its points depart from that (one sigma, stops). */
        headingDeg: z.number().nullable(),
        spreadStops: z.number().nullable(),
        /** Whether the ball looks as no light of the panorama would make it. */
        litOtherwise: z.boolean(),
      })
      .nullable()
      .default(null),
    /** How much darker the plate's lens makes the card than its middle, as expected: taken off the gain, stops. */
    falloffStops: z.number().default(0),
    /** What of the interval is the set's light between plate and round: 95 % half width, stops. */
    driftStops: z.number().default(0),
    /** Of the card, from the kit; 0.18 where the kit does not say which card it is. */
    reflectance: z.number().default(0.18),
    /** How well that is known, 95 %. */
    reflectanceStops: z.number().default(0.1),
    /** Of the card in the panorama, its units; null of what was measured before it was kept. */
    luminance: z.number().nullable().default(null),
    /** Where the card faces in the panorama's own frame by its corners, and how much brighter it is than what the panorama throws on such a plane; null where it is too small to tell, or light was clipped. */
    facing: z
      .object({
        azimuthDeg: z.number(),
        elevationDeg: z.number(),
        uncertaintyDeg: z.number(),
        apartStops: z.number().nullable(),
      })
      .nullable()
      .default(null),
  }),
});
export type Scale = z.infer<typeof scaleSchema>;
/** The same thing in plate and panorama: a reference of known reflectance, or anything. */
const regionSchema = z.object({
  name: z.string().trim().min(1, 'Name the region').max(40),
  plateCorners: plateCornersSchema,
  panoramaCorners: panoramaCornersSchema,
  reflectance: z
    .number()
    .gt(0, 'Reflectance must be more than 0')
    .max(1, 'Reflectance must be at most 1')
    .nullable()
    .default(null),
});
const rgbSchema = z.tuple([z.number(), z.number(), z.number()]);
/** Colours of the panorama onto those of a plate's body: plate = 2^gainStops x matrix x panorama, in the panorama's working space. */
export const colourSchema = z.object({
  plateId: uuid,
  /** The body and recording format whose colours these are. */
  bodyId: uuid,
  formatName: z.string(),
  /** Of the chart; of the first region where regions were marked instead. */
  plateCorners: plateCornersSchema,
  panoramaCorners: panoramaCornersSchema,
  /** Things that both pictures show, where no chart was there. */
  regions: z.array(regionSchema).default([]),
  keepWhite: z.boolean(),
  /** gains: one factor a channel, too few colours for more. */
  kind: z.enum(['gains', 'matrix']),
  /** Row by row; keeps the luminance of the chart's greys as the panorama shows them: the gain is that of a grey card. */
  matrix: z.array(z.number()).length(9),
  gainStops: z.number(),
  /** 95 % half width. */
  uncertaintyStops: z.number(),
  /** What of it is the set's light between plate and round. */
  driftStops: z.number().default(0),
  /** Even light over the plate that was taken off, by channel, as a share of its white; null where none shows. */
  veil: rgbSchema.nullable().default(null),
  /** Luminance of a perfect white there in the panorama, its units, by the kit's reflectances; null where nobody stated them. */
  whiteInPanorama: z.number().nullable().default(null),
  /** How well those reflectances are known, 95 %. */
  reflectanceStops: z.number().default(0.1),
  deltaE2000: z.object({
    mean: z.number(),
    max: z.number(),
    leaveOneOutMean: z.number().nullable(),
    before: z.number(),
  }),
  patches: z.array(
    z.object({
      name: z.string(),
      before: z.number(),
      after: z.number().nullable(),
      leftOut: z.number().nullable(),
      reason: z.enum(['clipped', 'shaded', 'dark']).nullable(),
      outOfGamut: z.boolean(),
      /** What is left is more than noise: no matrix mends it. */
      metameric: z.boolean().default(false),
      /** Means in linear light, the plate's and the panorama's own units. */
      plate: rgbSchema,
      panorama: rgbSchema,
    }),
  ),
});
export type ColourFinding = z.infer<typeof colourSchema>;
export const calibrationSchema = z.object({
  ...recordFields,
  panoramaId: uuid,
  number: z.number(),
  orientation: orientationSchema.nullable(),
  scale: scaleSchema.nullable(),
  colour: colourSchema.nullable(),
  /** Why a part of it was gone back to or set aside; empty for a measurement. */
  reason: z.string(),
  /** Parts of it that count no more as a card of their take, and why. */
  aside: z.object({ scale: z.string(), colour: z.string() }).partial(),
  basis: basisSchema,
});
/** Why something that was measured counts no more, or again. */
const whySchema = z
  .string()
  .trim()
  .min(3, 'Say why, in a few words')
  .max(200, 'The reason is longer than 200 characters');
/** An earlier measurement of a part that counts again, by its number; null sets the part aside. */
export const calibrationChoice = z.object({
  part: z.enum(['orientation', 'scale', 'colour'], { error: 'The part is orientation, scale or colour' }),
  from: z.number().int().positive().nullable(),
  reason: whySchema,
});
/** One card, chart or surface that counts no more among those of its panorama: by the number of its measurement. */
export const asideInput = z.object({
  part: z.enum(['scale', 'colour'], { error: 'The part is scale or colour' }),
  number: z.number().int().positive(),
  reason: whySchema,
});
export type Calibration = z.infer<typeof calibrationSchema>;

export const cardInput = z.object({
  plateId: uuid,
  plateCorners: plateCornersSchema,
  panoramaCorners: panoramaCornersSchema,
  /** Which of the kit's it is; null: the only one there is. */
  referenceObjectId: uuid.nullable().default(null),
});
/** The same of a surface that only the plate shows. */
export const surfaceInput = cardInput.omit({ panoramaCorners: true }).extend({ kind: z.enum(SURFACE_KINDS) });
export type SurfaceMarked = z.output<typeof surfaceInput>;
/** A chart of 24 patches in plate and panorama. */
export const chartInput = cardInput.extend({
  /** The brightest neutral is met exactly. */
  keepWhite: z.boolean().default(true),
});
/** Things that plate and panorama both show. */
export const regionsInput = z.object({
  plateId: uuid,
  regions: z.array(regionSchema).min(2, 'Mark at least two regions').max(24, 'At most 24 regions'),
});
export type ChartInput = z.output<typeof chartInput>;
export type RegionsInput = z.output<typeof regionsInput>;
/** Where a chart is looked for first: what is shown of the panorama, its own frame, degrees. */
export const chartViewInput = z.object({
  azimuthDeg: z.number().min(-360).max(720),
  elevationDeg: elevation,
  spanDeg: z.number().gt(0).max(120, 'Look closer: at most 120° across'),
});
const foundChart = { mirrored: z.boolean(), odd: z.array(z.string()) };
/** A chart of 24 patches that was found by itself; null when there is none, or more than one way round fits. */
export const chartInPlateSchema = z.object({
  found: z.object({ corners: plateCornersSchema, ...foundChart }).nullable(),
});
export const chartInPanoramaSchema = z.object({
  found: z.object({ corners: panoramaCornersSchema, ...foundChart }).nullable(),
});
export const northInput = z.object({
  levelDeg: z.number().gt(0).max(10).optional(),
  clockS: z.number().gt(0).max(3600).optional(),
});

/** What cards, meters and settings say together of every take's exposure against a panorama: stops, 95 % half widths. */
export const exposuresSchema = z.object({
  takes: z.array(
    z.object({
      takeId: uuid,
      name: z.string(),
      body: z.string(),
      gainStops: z.number(),
      /** Null when nothing ties the take to the panorama. */
      uncertaintyStops: z.number().nullable(),
      verdict: z.enum(['agrees', 'disagrees', 'cannotTell']),
      /** What was measured in its own plate and counts, newest first. */
      cards: z.array(z.object({ what: z.string(), part: z.enum(['scale', 'colour']), number: z.number() })),
    }),
  ),
  /** cd/m2 of one panorama unit: measured by instruments here, or predicted by what the rig was found to be before; null where neither tells. */
  absolute: z
    .object({
      whiteLuminance: z.number(),
      uncertaintyStops: z.number(),
      provenance: z.enum(['measured', 'predicted']),
    })
    .nullable(),
  sources: z.array(
    z.object({
      name: z.string(),
      kind: z.enum(['card', 'meter', 'rig', 'settings']),
      residualStops: z.number(),
      uncertaintyStops: z.number(),
      weight: z.number(),
      outlier: z.boolean(),
      cause: z.string().nullable(),
    }),
  ),
  /** What went wrong, the most telling first; of the one that is not settled several things may be the cause. */
  faults: z.array(
    z.object({
      cause: z.string(),
      sources: z.array(z.string()),
      amountStops: z.number(),
      probability: z.number(),
      settled: z.boolean(),
    }),
  ),
  /** One sigma of how the set's light drifts, as it was assumed: clouds, and the sun's height. */
  driftStopsPerHour: z.number(),
  /** How well it is known when the round was shot (95 %), and whether that is only the plan: the light drifted meanwhile. */
  roundTime: z.object({ planned: z.boolean(), withinS: z.number().nullable() }),
  /** Cards' takes and readings of which nobody said when they were, and how far off (95 %) each is taken to be. */
  timesAssumed: z.array(z.object({ name: z.string(), withinS: z.number() })),
  /** Illuminance of the level by the panorama's scale, against what sun and sky would throw there; null indoors, by night, or where nothing tells. */
  daylight: z
    .object({
      lux: z.number(),
      uncertaintyStops: z.number(),
      expectedLux: z.number(),
      /** 95 % half width of it, by air, cloud and how well the round's time is known. */
      withinStops: z.number(),
      sunDeg: z.number(),
      agrees: z.boolean(),
    })
    .nullable(),
  /** Readings that could not be used, and why. */
  unused: z.array(z.object({ name: z.string(), why: z.string() })),
});
export type Exposures = z.infer<typeof exposuresSchema>;
