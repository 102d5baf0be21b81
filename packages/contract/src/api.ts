import { z } from 'zod';
import { uuid } from './common';
import {
  bodyInput,
  bodySchema,
  filterInput,
  filterSchema,
  instrumentInput,
  instrumentSchema,
  lensInput,
  lensSchema,
  panoramaRigInput,
  panoramaRigSchema,
  referenceObjectInput,
  referenceObjectSchema,
} from './kit';
import { curveSchema } from './decoding';
import {
  asideInput,
  calibrationChoice,
  calibrationSchema,
  exposuresSchema,
  cardInput,
  chartInPanoramaSchema,
  chartInPlateSchema,
  chartInput,
  regionsInput,
  surfaceInput,
  chartViewInput,
  northInput,
  proposalsInput,
  proposalsSchema,
  sharedTurnSchema,
  sightInput,
} from './calibrations';
import { kitCopyInput, kitImportInput, kitImportSchema } from './kitExchange';
import {
  cameraClockInput,
  cameraClockSchema,
  dayInput,
  dayMarkSchema,
  daySchema,
  locationInput,
  locationSchema,
  productionInput,
  productionSchema,
  setupInput,
  setupSchema,
} from './days';
import { jobSchema } from './jobs';
import {
  begins,
  asks,
  asksOfFiles,
  by,
  file,
  lists,
  none,
  onlyBy,
  reads,
  records,
  uploads,
  writes,
  writtenRecords,
  type Operation,
} from './operation';
import { gapsSchema } from './gaps';
import {
  buildInput,
  clipSchema,
  differenceSchema,
  fileCellsSchema,
  frameSchema,
  groupingSchema,
  handoffInput,
  handoffSchema,
  importPanoramaInput,
  importResultSchema,
  knownFramesInput,
  measureGlareInput,
  panoramaSchema,
  phoneFrameSchema,
  plateChange,
  plateSchema,
  simulatedPhoneInput,
  simulateRoundInput,
  takeImportInput,
  takenIn,
  testFrameSchema,
  uploadResultSchema,
} from './results';
import { roundInput, roundSchema, stationInput, stationSchema } from './rounds';
import {
  comparisonSchema,
  eyeLineInput,
  eyeLineSchema,
  lampInput,
  lampSchema,
  planMarkInput,
  planMarkSchema,
  planMeasureInput,
  planMeasureSchema,
  readingInput,
  readingSchema,
  referenceChange,
  referenceKind,
  referenceSchema,
  referenceUpload,
  simulatedReadingInput,
} from './setRecords';
import { plateCameraSchema, plateStrokesInput } from './plateCamera';
import { takeInput, takeSchema } from './takes';

const P = '/productions/:production';

const asked = { status: 202, changes: ['jobs'] };

/** Everything that hangs on a setup and that the gap list looks at. */
const ON_A_SETUP = [
  'setups', 'days', 'locations', 'takes', 'stations', 'rounds', 'frames', 'lenses', 'lamps', 'readings', 'references',
  'eyelines', 'handoffs', 'panoramas', 'calibrations',
]; // prettier-ignore

/** What the API does: the one table that the server mounts and from which every client, test and `docs/api.md` are made. */
export const API = {
  productions: {
    list: lists('/productions', 'Lists the productions that one may see', () => productionSchema, {
      reads: ['productions'],
    }),
    get: reads(P, 'The production itself', () => productionSchema, { reads: ['productions'] }),
    create: begins('/productions', 'Begins a production', () => [productionInput, productionSchema], {
      changes: ['productions'],
    }),
  },
  locations: writtenRecords('locations', 'location', () => [locationSchema, locationInput]),
  days: {
    ...writtenRecords('days', 'shoot day', () => [daySchema, dayInput]),
    marks: lists(
      `${P}/days/:id/marks`,
      'When takes and rounds of a day were shot, to the minute',
      () => dayMarkSchema,
      {
        reads: ['setups', 'stations', 'takes', 'rounds'],
      },
    ),
    takesCsv: file(`${P}/days/:id/takes.csv`, 'Takes of a day as CSV'),
    takesJson: file(`${P}/days/:id/takes.json`, 'Takes of a day as JSON'),
    report: file(`${P}/days/:id/report.pdf`, 'Camera report of a day'),
  },
  setups: writtenRecords('setups', 'setup', () => [setupSchema, setupInput], by('dayId')),
  gaps: {
    list: lists(`${P}/gaps`, 'What every setup lacks, in order of what is lost first', () => gapsSchema, {
      reads: ON_A_SETUP,
    }),
  },
  clocks: writtenRecords('clocks', 'camera clock', () => [cameraClockSchema, cameraClockInput], by('dayId'), [
    'rounds',
    'calibrations',
  ]),
  bodies: writtenRecords('bodies', 'camera body', () => [bodySchema, bodyInput], undefined, [
    'plates',
    'clips',
    'references',
    'calibrations',
  ]),
  lenses: writtenRecords('lenses', 'lens', () => [lensSchema, lensInput]),
  rigs: {
    ...writtenRecords('rigs', 'panorama rig', () => [panoramaRigSchema, panoramaRigInput]),
    measureGlare: uploads(
      `${P}/rigs/:id/glare`,
      'Measures a rig\'s glare from two brackets: parts "seen" and "covered"',
      () => jobSchema,
      { query: () => measureGlareInput, ...asked },
    ),
  },
  curves: {
    ...records('curves', 'curve', () => curveSchema),
    upload: uploads(`${P}/curves`, 'Takes in curves as Common LUT Format files', () => takenIn(curveSchema), {
      changes: ['curves'],
    }),
  },
  filters: writtenRecords('filters', 'filter', () => [filterSchema, filterInput]),
  instruments: {
    ...writtenRecords('instruments', 'instrument', () => [instrumentSchema, instrumentInput]),
    simulate: asks(`${P}/instruments/simulate`, 'A reading of a simulated instrument', () => [
      simulatedReadingInput,
      z.object({ shown: z.number() }),
    ]),
  },
  objects: writtenRecords('objects', 'reference object', () => [referenceObjectSchema, referenceObjectInput]),
  kit: {
    export: file(`${P}/kit/export.json`, 'All kit as JSON'),
    csv: file(`${P}/kit/:kind.csv`, 'One kind of kit as CSV'),
    import: writes(`${P}/kit/import`, 'Takes kit from a file', () => [kitImportInput, kitImportSchema], {
      changes: ['bodies', 'lenses', 'rigs', 'filters', 'instruments', 'objects'],
    }),
    copy: writes(`${P}/kit/copy`, 'Takes kit from another production', () => [kitCopyInput, kitImportSchema], {
      changes: ['curves', 'bodies', 'lenses', 'rigs', 'filters', 'instruments', 'objects'],
    }),
  },
  takes: {
    ...writtenRecords('takes', 'take', () => [takeSchema, takeInput], by('setupId')),
    import: writes(`${P}/takes/import`, 'Takes in takes from a table', () => [takeImportInput, importResultSchema], {
      changes: ['takes'],
    }),
    readFile: asksOfFiles(`${P}/takes/read-file`, "Cells that a file's metadata fills", () => fileCellsSchema, {
      query: () => z.object({ takeId: uuid.optional() }),
    }),
  },
  readings: writtenRecords('readings', 'reading', () => [readingSchema, readingInput], by('setupId')),
  lamps: writtenRecords('lamps', 'lamp record', () => [lampSchema, lampInput], by('setupId')),
  eyelines: writtenRecords('eyelines', 'eye line', () => [eyeLineSchema, eyeLineInput], by('setupId')),
  marks: writtenRecords('marks', 'mark', () => [planMarkSchema, planMarkInput], by('setupId')),
  measures: writtenRecords('measures', 'measure', () => [planMeasureSchema, planMeasureInput], by('setupId')),
  stations: writtenRecords('stations', 'station', () => [stationSchema, stationInput], by('setupId')),
  references: {
    ...records('references', 'reference', () => referenceSchema, by('setupId')),
    upload: uploads(`${P}/references`, 'Takes in photographs made to be measured', () => takenIn(referenceSchema), {
      query: () => referenceUpload,
      changes: ['references'],
    }),
    change: writes(
      `${P}/references/:id`,
      'Changes what a reference is said to show',
      () => [referenceChange, referenceSchema],
      {
        changes: ['references'],
        method: 'PATCH',
      },
    ),
    simulate: writes(
      `${P}/references/simulate`,
      'The simulated plate camera photographs a reference',
      () => [z.object({ kind: referenceKind, takeId: uuid }), jobSchema],
      asked,
    ),
    plate: writes(
      `${P}/references/:id/plates`,
      'Makes a card or chart that was photographed with the take’s camera a plate of it, to be measured',
      () => [none(), plateSchema],
      { changes: ['plates'] },
    ),
    compare: asks(`${P}/references/:id/compare`, 'A clean plate against its take', () => [none(), comparisonSchema]),
    preview: file(`${P}/references/:id/preview.jpg`, 'A display picture'),
  },
  rounds: {
    ...writtenRecords('rounds', 'round', () => [roundSchema, roundInput], by('stationId')),
    frames: lists(`${P}/rounds/:id/frames`, 'Frames of a round', () => frameSchema, { reads: ['frames'] }),
    grouping: reads(`${P}/rounds/:id/grouping`, 'Frames of a round sorted into views', () => groupingSchema, {
      reads: ['frames', 'rounds'],
    }),
    knownFrames: asks(`${P}/rounds/:id/frames/known`, 'Which of some files are there already, by their hashes', () => [
      knownFramesInput,
      z.object({ known: z.array(z.string()) }),
    ]),
    addFrames: uploads(`${P}/rounds/:id/frames`, 'Takes in frames', () => uploadResultSchema, {
      changes: ['frames', 'rounds', 'jobs'],
    }),
    importPanorama: uploads(
      `${P}/rounds/:id/panoramas`,
      'Takes in a panorama that was made elsewhere',
      () => jobSchema,
      {
        query: () => importPanoramaInput,
        ...asked,
      },
    ),
    simulate: writes(
      `${P}/rounds/:id/simulate`,
      'The simulated camera photographs it',
      () => [simulateRoundInput, jobSchema],
      asked,
    ),
    build: writes(`${P}/rounds/:id/build`, 'Builds its panorama', () => [buildInput, jobSchema], asked),
    testFrame: asksOfFiles(`${P}/rounds/:id/test-frame`, 'What one frame says of the light', () => testFrameSchema),
    phoneFrame: asks(`${P}/rounds/:id/phone-frame`, 'A frame of the stand-in phone', () => [
      simulatedPhoneInput,
      phoneFrameSchema,
    ]),
  },
  panoramas: {
    list: lists(`${P}/panoramas`, 'Lists each panorama, newest first', () => panoramaSchema, {
      filter: by('roundId'),
      reads: ['panoramas'],
    }),
    get: reads(`${P}/panoramas/:id`, 'One panorama', () => panoramaSchema, { reads: ['panoramas'] }),
    difference: reads(`${P}/panoramas/:id/difference`, 'How far it is from another', () => differenceSchema, {
      query: () => z.object({ against: z.uuid('State the panorama to compare with as "against"') }),
      reads: ['panoramas'],
    }),
    tile: file(`${P}/panoramas/:id/tiles/:column/:row`, 'Float data of a part at full size'),
    float: file(`${P}/panoramas/:id/float`, 'Float data for screens'),
    preview: file(`${P}/panoramas/:id/preview.jpg`, 'A display picture'),
    exr: file(`${P}/panoramas/:id/panorama.exr`, 'The panorama itself'),
    measure: file(`${P}/panoramas/:id/measure.png`, 'Mask and uncertainty'),
    calibration: reads(
      `${P}/panoramas/:id/calibration`,
      'Its newest calibration',
      () => z.object({ calibration: calibrationSchema.nullable() }),
      { reads: ['calibrations'] },
    ),
    calibrations: lists(
      `${P}/panoramas/:id/calibrations`,
      'What was measured of it one after the other, newest first',
      () => calibrationSchema,
      { reads: ['calibrations'] },
    ),
    choose: writes(
      `${P}/panoramas/:id/calibrations`,
      'Goes back to an earlier measurement of a part, or sets the part aside, with the reason',
      () => [calibrationChoice, calibrationSchema],
      { changes: ['calibrations'] },
    ),
    setAside: writes(
      `${P}/panoramas/:id/calibrations/aside`,
      'Sets one card, chart or surface of a panorama aside, with the reason; the others count on',
      () => [asideInput, calibrationSchema],
      { changes: ['calibrations'] },
    ),
    north: writes(`${P}/panoramas/:id/north`, 'Measures north by the sun', () => [northInput, calibrationSchema], {
      changes: ['calibrations'],
    }),
    propose: asks(
      `${P}/panoramas/:id/proposals`,
      'Proposes what a plate and the panorama both show; nothing is kept',
      () => [proposalsInput, proposalsSchema],
    ),
    orient: writes(
      `${P}/panoramas/:id/orientation`,
      'Solves how the panorama lies from a hand turn, picks, marks and the sun',
      () => [sightInput, calibrationSchema],
      { changes: ['calibrations'] },
    ),
    shareTurn: writes(
      `${P}/panoramas/:id/orientation/share`,
      'Uses its turn for the newest panoramas of the other rounds that were shot on the same tripod, not turned between',
      () => [none(), sharedTurnSchema],
      { changes: ['calibrations'] },
    ),
    colour: writes(
      `${P}/panoramas/:id/colour`,
      'Matches its colours to those of a plate by a chart of 24 patches in both',
      () => [chartInput, calibrationSchema],
      { changes: ['calibrations'] },
    ),
    colourByRegions: writes(
      `${P}/panoramas/:id/colour/regions`,
      'Matches its colours to those of a plate by things that both show',
      () => [regionsInput, calibrationSchema],
      { changes: ['calibrations'] },
    ),
    findChart: asks(`${P}/panoramas/:id/chart`, 'Looks for a chart of 24 patches in it, first in what is shown', () => [
      chartViewInput,
      chartInPanoramaSchema,
    ]),
    exposures: reads(
      `${P}/panoramas/:id/exposures`,
      'Exposure of all takes against it, from cards, meters and settings together',
      () => exposuresSchema,
      { reads: ['calibrations', 'takes', 'readings', 'plates', 'rounds'] },
    ),
    surface: writes(
      `${P}/panoramas/:id/surface`,
      'Measures the gain by a ball or plane that only the plate shows, under its light',
      () => [surfaceInput, calibrationSchema],
      { changes: ['calibrations'] },
    ),
    card: writes(`${P}/panoramas/:id/card`, 'Measures the gain by a grey card', () => [cardInput, calibrationSchema], {
      changes: ['calibrations'],
    }),
  },
  plates: {
    list: lists(`${P}/plates`, 'Plates of a take, newest first', () => plateSchema, {
      filter: onlyBy('takeId', 'whose plates are wanted'),
      reads: ['plates'],
    }),
    upload: uploads(`${P}/takes/:id/plates`, 'Takes in frames of a plate', () => takenIn(plateSchema), {
      changes: ['plates'],
    }),
    change: writes(`${P}/plates/:id`, 'Says what the code values of a plate mean', () => [plateChange, plateSchema], {
      changes: ['plates', 'calibrations', 'panoramas'],
      method: 'PATCH',
    }),
    simulate: writes(
      `${P}/takes/:id/plates/simulate`,
      'The simulated plate camera photographs it',
      () => [none(), jobSchema],
      asked,
    ),
    camera: reads(
      `${P}/takes/:id/camera`,
      'The camera that was measured from a plate of the take and is carried by it',
      () => z.object({ camera: plateCameraSchema.nullable() }),
      { reads: ['takes', 'plates'] },
    ),
    measureCamera: writes(
      `${P}/plates/:id/camera`,
      'Measures the camera from strokes on the plate; the take carries it from then on',
      () => [plateStrokesInput, plateCameraSchema],
      { changes: ['takes', 'plates', 'calibrations'] },
    ),
    dropCamera: writes(
      `${P}/takes/:id/camera/logged`,
      'The take carries what is logged of its camera again',
      () => [none(), takeSchema],
      { changes: ['takes', 'plates', 'calibrations'] },
    ),
    measureCharacter: writes(
      `${P}/plates/:id/character`,
      'Measures black level, grain and edge blur of a plate; kept with it',
      () => [none(), plateSchema],
      { changes: ['plates'] },
    ),
    findChart: asks(`${P}/plates/:id/chart`, 'Looks for a chart of 24 patches in it', () => [
      none(),
      chartInPlateSchema,
    ]),
    preview: file(`${P}/plates/:id/preview.jpg`, 'A display picture'),
    float: file(`${P}/plates/:id/float`, 'Its light, scene-linear Rec. 709, as the sight lays it under a panorama'),
  },
  clips: {
    list: lists(`${P}/clips`, 'Clips of a take, newest first', () => clipSchema, {
      filter: onlyBy('takeId', 'whose clips are wanted'),
      reads: ['clips'],
    }),
    upload: uploads(`${P}/takes/:id/clips`, 'Takes in a video or an image sequence', () => clipSchema, {
      query: () =>
        z.object({
          acceptHoles: z.enum(['true', 'false']).optional(),
          fps: z.coerce.number().min(1).max(2000).optional(),
          startTimecode: z.string().max(12).optional(),
        }),
      changes: ['clips', 'jobs'],
    }),
    strip: writes(`${P}/clips/:id/strip`, 'Makes the strip of frames anew', () => [none(), jobSchema], asked),
    frame: file(`${P}/clips/:id/frames/:number.jpg`, 'A frame of the strip'),
    plate: writes(
      `${P}/clips/:id/plates`,
      'Makes a frame of the clip a plate of its take',
      () => [z.object({ frame: z.number().int().min(0) }), plateSchema],
      { changes: ['plates'] },
    ),
  },
  handoffs: {
    list: lists(`${P}/handoffs`, 'Packages, newest first', () => handoffSchema, {
      filter: by('setupId'),
      reads: ['handoffs'],
    }),
    create: writes(`${P}/handoffs`, 'Asks for a package', () => [handoffInput, jobSchema], asked),
    download: file(`${P}/handoffs/:id/download`, 'The package'),
  },
  jobs: {
    list: lists(`${P}/jobs`, 'Jobs about a record, newest first', () => jobSchema, {
      filter: () => ({ ...onlyBy('subjectId', 'whose jobs are wanted')(), kind: jobSchema.shape.kind.optional() }),
      reads: ['jobs'],
    }),
    get: reads(`${P}/jobs/:id`, 'One job', () => jobSchema, { reads: ['jobs'] }),
    cancel: writes(`${P}/jobs/:id/cancel`, 'Asks a job to stop', () => [none(), jobSchema], asked),
  },
} as const satisfies Record<string, Record<string, Operation>>;

export type Api = typeof API;
/** `resource.verb`, such as `takes.create`. */
export type OperationName = { [R in keyof Api & string]: `${R}.${keyof Api[R] & string}` }[keyof Api & string];
export type OperationOf<N extends OperationName> = N extends `${infer R}.${infer V}`
  ? R extends keyof Api
    ? V extends keyof Api[R]
      ? Api[R][V]
      : never
    : never
  : never;

/** Every operation with its name, in the order of the table. */
export const OPERATIONS: readonly { name: OperationName; operation: Operation }[] = Object.entries(API).flatMap(
  ([resource, verbs]) =>
    Object.entries(verbs).map(([verb, operation]) => ({
      name: `${resource}.${verb}` as OperationName,
      operation: operation as Operation,
    })),
);

export function operationOf<N extends OperationName>(name: N): OperationOf<N> {
  const [resource, verb] = name.split('.');
  return (API as Record<string, Record<string, unknown>>)[resource][verb] as OperationOf<N>;
}
