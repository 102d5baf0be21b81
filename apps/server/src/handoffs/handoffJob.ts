import type { EntitySchema } from 'typeorm';
import { DateTime } from 'luxon';
import type { Take } from '@tawny/contract';
import { headingSeen } from '@tawny/contract/takeRules';
import {
  anglesFromDirection,
  cameraOfTake,
  detectSun,
  directionFromAngles,
  illuminance,
  luminance,
  panoramaStatistics,
  reaimed,
  rotate,
  separateSun,
  sunOfTake,
  sunPosition,
  type Quaternion,
  type RgbImage,
  type SunOfTake,
} from '@tawny/core';
import { readExr, writeExr, writeLightStage, writeMhl, type HashedFile, type PanoramaAttributes } from '@tawny/formats';
import { throwIfCancelled } from '@tawny/pipeline';
import { latestCalibration, originOf } from '../calibrations/latest';
import { timeOfSun } from '../calibrations/timeOfSun';
import {
  Bodies,
  EyeLines,
  Handoffs,
  Lenses,
  Panoramas,
  Productions,
  Takes,
  type Owned,
  type StoredPanorama,
} from '../db/entities';
import type { JobHandler } from '../jobs/runner';
import { ApiProblem } from '../problems';
import { setPlace } from '../records/place';
import { recordFacts } from '../records/facts';
import { factsOfPackage, inheritedBasis } from './facts';
import { characterJson, characterOfTake, characterWords } from './characterOfTake';
import { colourOfTake, colourWords, matchedPanorama } from './colourOfTake';
import { missingParts } from './missing';
import { frameSuffix, frameWords, placePanorama, type Placing } from './placePanorama';
import { assumedDrift, assumedReflectance, carriedWords, gainFrom, gainsOf, scalesOfTakes } from './scaleOfTake';
import { packageName, slug } from './names';
import { writeReadme } from './readme';
import { eyeLinesCsv } from './eyeLinesCsv';
import { takesCsv } from '../takes/takesCsv';
import { zipFiles } from './zip';

const TOOL = { name: 'Tawny Sunset', version: '0.1.0' };

/** The sun of the turned picture is the panorama's own when its height is within this. */
const SAME_SUN_DEG = 1;

/** Working spaces as the page and the files call them. */
const SPACE_WORDS = {
  rec709: 'scene-linear Rec. 709 primaries, D65',
  acescg: 'scene-linear ACEScg (AP1 primaries)',
} as const;

/** What turned the panorama, in the words of the page. */
const northBy = (sources: readonly { name: string; outlier: boolean }[]): string =>
  sources
    .filter((s) => !s.outlier)
    .map((s) =>
      s.name
        .toLowerCase()
        .replace(/^sun/, 'the sun')
        .replace(/^by hand/, 'hand'),
    )
    .join(', ');

/** How high a found sun stands once the panorama is turned. */
const heightOf = (sun: { azimuthDeg: number; elevationDeg: number }, rotation: Quaternion | null): number =>
  rotation === null
    ? sun.elevationDeg
    : anglesFromDirection(rotate(rotation, directionFromAngles(sun.azimuthDeg, sun.elevationDeg))).elevationDeg;

/** What was done to the sun's light, and what that leaves as it was. */
const aimWords = ({ driftDeg }: SunOfTake): string =>
  `The sun's light is aimed as the sun stood at the take, ${driftDeg.toFixed(2)} deg from the round's; its brightness and colour, the sky and the shadows in the panorama are the round's`;

const round6 = (v: number) => Number(v.toFixed(6));
/** As people read it: a hundredth of a degree, a centimetre; the stage holds every digit. */
const round2 = (v: number) => Number(v.toFixed(2));

/** Builds the numbered package of a setup: everything is computed first, then stored, then recorded. */
export const handoffJob: JobHandler<'handoff'> = async ({ db, files, job, control }) => {
  const { productionId } = job;
  const { input } = job;
  const report = (stage: string, fraction: number) => {
    throwIfCancelled(control);
    control.onProgress?.({ stage, fraction });
  };
  report('Gathering records', 0.02);
  const production = await db.getRepository(Productions).findOneByOrFail({ id: productionId });
  const { setup, location } = await setPlace(db, productionId, input.setupId);
  const panorama = await db
    .getRepository(Panoramas as EntitySchema<Owned<StoredPanorama>>)
    .findOneByOrFail({ productionId, id: input.panoramaId });
  const take = await db.getRepository(Takes).findOneByOrFail({ productionId, id: input.takeId });
  if (take.setupId !== setup.id) throw new ApiProblem(422, 'other-setup', 'The take belongs to another setup');
  const { round, station } = await originOf(db, panorama);
  if (station.setupId !== setup.id) throw new ApiProblem(422, 'other-setup', 'The panorama belongs to another setup');
  const [takes, bodies, lenses] = await Promise.all([
    db.getRepository(Takes).find({ where: { productionId, setupId: setup.id }, order: { shotAt: 'ASC', id: 'ASC' } }),
    db.getRepository(Bodies).findBy({ productionId }),
    db.getRepository(Lenses).findBy({ productionId }),
  ]);
  const calibration = await latestCalibration(db, productionId, panorama.id);
  const { orientation } = calibration ?? { orientation: null };
  const scaleOf = await scalesOfTakes(db, { files }, panorama, takes);
  const scale = scaleOf(take);
  const body = bodies.find((b) => b.id === take.bodyId);
  const lens = lenses.find((l) => l.id === take.lensId);
  // Without a north that is known the camera looks along azimuth 0: panorama and camera were put into that frame together.
  const inSetFrame = orientation?.frame === 'set';
  // Of a flopped plate the stage is mirrored about the way the camera looks: what leant to the right leans to the left.
  const told = take.pictureCamera && {
    ...take.pictureCamera,
    rollDeg: take.flopped ? -take.pictureCamera.rollDeg : take.pictureCamera.rollDeg,
    headingDeg: inSetFrame ? null : take.pictureCamera.headingDeg,
  };
  const seenHeading = headingSeen(take, orientation);
  const headingDeg = inSetFrame ? 0 : (seenHeading?.value ?? null);
  const stood: Owned<Take> =
    headingDeg === null
      ? { ...take, pictureCamera: told }
      : { ...take, headingDeg, headingNorth: 'true', pictureCamera: told };
  const camera = cameraOfTake(stood, body, lens, location);
  const pose = camera?.pose ?? null;
  const placing: Placing = {
    rotation: orientation?.rotation ?? null,
    north: orientation?.frame === 'trueNorth',
    flopped: take.flopped,
    headingDeg: pose?.attitude.headingDeg ?? null,
  };
  const { number } = input;
  // Every file's name says when north is unknown, or when everything is mirrored.
  const name = (kind: string) =>
    packageName(production.code, setup.name, station.name, `${kind}${frameSuffix(placing)}`, number);

  report('Turning and scaling the panorama', 0.1);
  const source = readExr(await files.read(panorama.exrHash), 'panorama.exr');
  const gain = 2 ** (scale?.gainStops ?? 0);
  const seen = panorama.sun;
  const turned = placePanorama(
    source.image,
    placing,
    seen && { clipped: seen.clipped, expected: { elevationDeg: seen.elevationDeg, withinDeg: SAME_SUN_DEG } },
  );
  const colour = colourOfTake(calibration?.colour ?? null, take, bodies);
  const matched = colour.found ? matchedPanorama(turned, colour.found) : { image: turned, outsideSr: 0 };
  const full: RgbImage = {
    ...turned,
    data: matched.image.data.map((v) => v * gain),
    unit: scale ? 'plate' : 'relative',
  };
  report('Taking out the sun', 0.3);
  // The sun that was found in it, where the turn has brought it; what was told to be no sun stays none.
  const sun =
    seen &&
    detectSun(full, {
      clipped: seen.clipped,
      expected: { elevationDeg: heightOf(seen, orientation?.rotation ?? null), withinDeg: SAME_SUN_DEG },
    });
  const separated = sun && separateSun(full, sun);
  const residual = separated?.residual ?? full;

  // The disc's own exposure, not the middle of the round.
  const { utc: sunAt } = await timeOfSun(db.manager, panorama, round, undefined);
  const takeSun = sunOfTake(location, new Date(take.shotAt), sunAt);
  const aimed = separated && input.reaim ? reaimed(separated.direction, takeSun, take.flopped) : null;

  report('Writing OpenEXR', 0.45);
  const shot = DateTime.fromISO(new Date(round.shotAt).toISOString(), { zone: location.zone });
  const attributes: PanoramaAttributes = {
    latlong: true,
    latitudeDeg: location.latitudeDeg,
    longitudeDeg: location.longitudeDeg,
    altitudeM: location.altitudeM,
    capDate: shot.toFormat('yyyy:MM:dd HH:mm:ss'),
    utcOffsetS: -60 * shot.offset,
    owner: production.title,
    northAligned: placing.north && !take.flopped,
    clippedSr: panorama.clippedSr,
    comments: `${setup.name}, ${round.lightCondition}; ${SPACE_WORDS[full.space]}; ${scale ? 'plate units' : 'relative units'}; ${colour.found ? 'colours matched to the plate' : 'colours of the panorama camera'}; ${frameWords(placing)}`,
  };
  const entries: HashedFile[] = [
    { path: `${name('panorama')}.exr`, bytes: await writeExr(full, attributes) },
    {
      path: `${name('residual')}.exr`,
      bytes: await writeExr(residual, { ...attributes, comments: `${attributes.comments}; sun taken out` }),
    },
  ];
  report('Writing the stage', 0.75);
  const carried = carriedWords(scale, bodies);
  const where = pose
    ? `heading ${round2(pose.attitude.headingDeg)} deg ${inSetFrame ? 'in the set frame' : 'true'}${seenHeading ? ` (not logged: by picks in the sight, +-${seenHeading.uncertainty.toFixed(1)} deg)` : ''}, tilt ${round2(pose.attitude.tiltDeg)} deg${take.pictureCamera ? `, roll ${round2(pose.attitude.rollDeg)} deg` : ', roll not measured (level in the stage)'}, height ${round2(pose.heightM)} m${pose.position ? '' : ' (where on the plan was not logged: the stage has it at the origin)'}`
    : 'where it stood was not logged';
  const cameraText = `${take.slate} take ${take.take} camera ${take.camera}: ${round2(camera?.focalLengthMm ?? take.focalLengthMm)} mm, T${take.tStop}${camera ? ` (f/${camera.fNumber.toFixed(2)}${camera.squeeze === 1 ? '' : `, squeeze ${camera.squeeze}`})` : ''}, ${where}${take.pictureCamera ? '; measured from its own picture' : ''}${take.flopped ? '; the plate is FLOPPED: panorama, sun and stage are mirrored with it, the tables are not' : ''}`;
  entries.push({
    path: `${name('stage')}.usda`,
    bytes: Buffer.from(
      writeLightStage({
        domeTexture: `${name('residual')}.exr`,
        space: full.space,
        domeIntensity: 1,
        sun:
          separated && sun
            ? {
                direction: aimed ?? separated.direction,
                illuminance: separated.illuminance,
                diameterDeg: sunPosition(location, new Date(round.shotAt)).diameterDeg,
              }
            : null,
        // Where the camera looked is known from north: it shares no frame with a dome whose north is unknown.
        camera: camera && pose && orientation ? { name: `Camera_${take.camera}`, camera } : null,
        comment: `${production.title}, ${setup.name}. One scale: ${scale ? 'plate units' : 'relative panorama units'}${carried ? `, ${carried}` : ''}. ${placing.north ? 'World frame' : orientation ? 'Camera and dome share a frame' : 'The camera is left out'}: ${frameWords(placing)}.${aimed ? ` ${aimWords(takeSun)}.` : ''}`,
      }),
      'utf8',
    ),
  });
  const roundSun = sunPosition(location, new Date(round.shotAt));
  entries.push({
    path: `${name('takes')}.csv`,
    bytes: Buffer.from(
      takesCsv(takes, location, bodies, lenses, {
        sun: roundSun.direction,
        gains: gainsOf(takes, scaleOf, bodies),
      }),
      'utf8',
    ),
  });
  const eyeLines = await db.getRepository(EyeLines).findBy({ productionId, setupId: setup.id });
  if (eyeLines.length > 0)
    entries.push({ path: `${name('eyelines')}.csv`, bytes: Buffer.from(eyeLinesCsv(eyeLines, takes), 'utf8') });

  const character = await characterOfTake(db, take);
  if (character) entries.push({ path: `${name('plate')}.json`, bytes: Buffer.from(characterJson(character), 'utf8') });

  report('Writing the page', 0.85);
  const facts = await factsOfPackage(db, {
    panorama,
    calibration,
    take,
    body,
    lens,
    location,
    scale,
  });
  const restsOn = await inheritedBasis(
    db,
    panorama.id,
    [calibration?.id, ...(scale?.joined.cards ?? []).map((c) => c.calibration.id)],
    take.pictureCamera?.plateCameraId,
  );
  const ownFacts = facts.map(({ name: fact, provenance, uncertainty, unit }) => ({
    name: fact,
    kind: provenance.kind,
    source: provenance.source,
    uncertainty,
    unit,
  }));
  const missing = missingParts({
    north: placing.north,
    gain: scale !== null,
    carried,
    doubt: scale?.doubt ?? null,
    colour: colour.why,
    conditions: [round.lightCondition, take.lightCondition || setup.lightCondition],
    ...restsOn,
    facts: [...restsOn.facts, ...ownFacts],
    sun: Boolean(sun),
    drift: { takeDeg: takeSun.driftDeg, limitDeg: setup.driftLimitDeg, aimed: aimed !== null },
    clipped: Boolean(sun?.clipped),
    single: panorama.framesPerView === 1,
    clippedSr: panorama.clippedSr,
    format: camera !== null,
    position: pose !== null,
  });
  const statistics = panoramaStatistics(full);
  const readmePath = 'readme.txt';
  entries.push({
    path: readmePath,
    bytes: Buffer.from(
      writeReadme({
        production: production.title,
        setup: setup.name,
        lightCondition: round.lightCondition,
        number,
        panoramaName: entries[0].path,
        residualName: entries[1].path,
        space: SPACE_WORDS[full.space],
        widthPx: full.width,
        heightPx: full.height,
        gainStops: scale?.gainStops ?? null,
        gainUncertaintyStops: scale?.uncertaintyStops ?? null,
        gainBy: carried ?? (scale ? `by ${gainFrom(scale, bodies)}` : ''),
        plate: character && characterWords(character.character),
        colour: colour.found ? colourWords(colour.found, matched.outsideSr) : 'as the panorama camera saw them',
        frame: frameWords(placing),
        yawDeg: orientation?.adopted.value ?? null,
        northBy: northBy(orientation?.sources ?? []),
        northUncertaintyDeg: orientation?.adopted.uncertainty ?? null,
        illuminanceFull: luminance(...illuminance(full, [0, 1, 0]), full.space),
        illuminanceResidual: luminance(...illuminance(residual, [0, 1, 0]), full.space),
        meanLuminance: statistics.meanLuminance,
        maxLuminance: statistics.maxLuminance,
        sun:
          sun && separated
            ? {
                azimuthDeg: round6(sun.azimuthDeg),
                elevationDeg: round6(sun.elevationDeg),
                diameterDeg: roundSun.diameterDeg,
                illuminanceNormal: luminance(...separated.illuminance, full.space),
                clipped: sun.clipped,
                aimed: aimed && anglesFromDirection(aimed),
              }
            : null,
        restsOn: [
          ...restsOn.facts,
          ...ownFacts,
          ...(scale ? [assumedDrift(scale.joined.driftStopsPerHour), ...assumedReflectance(scale, restsOn.facts)] : []),
        ],
        camera: cameraText,
        missing,
        files: [...entries.map((e) => e.path), readmePath, 'ascmhl/ (hash list)'],
      }),
      'utf8',
    ),
  });
  const at = new Date();
  const mhl = writeMhl(slug(name('package')), entries, at, TOOL);
  const all: HashedFile[] = [
    ...entries,
    { path: `ascmhl/${mhl.manifestName}`, bytes: Buffer.from(mhl.manifest, 'utf8') },
    { path: 'ascmhl/ascmhl_chain.xml', bytes: Buffer.from(mhl.chain, 'utf8') },
  ];
  report('Packing', 0.9);
  const zip = await zipFiles(all, files, at);
  throwIfCancelled(control);
  await zip.keep();
  return async (tx) => {
    await tx.getRepository(Handoffs).insert({
      id: input.id,
      productionId,
      setupId: setup.id,
      panoramaId: panorama.id,
      takeId: take.id,
      number,
      fileName: `${name('package')}.zip`,
      sizeBytes: zip.size,
      hash: zip.hash,
      files: all.map((e) => ({ path: e.path, sizeBytes: e.bytes.length })),
      missing,
      version: 1,
    } as never);
    await recordFacts(tx, productionId, 'handoffs', input.id, facts);
    return input.id;
  };
};
