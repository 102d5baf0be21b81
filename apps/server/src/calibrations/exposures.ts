import { In, type EntityManager } from 'typeorm';
import type { CameraBody, Exposures, InstrumentRecord, Reading, Take } from '@tawny/contract';
import {
  conjugate,
  correctReading,
  directionFromAngles,
  illuminance,
  luminance,
  NOMINAL_LUMINANCE_PER_UNIT,
  rotate,
  solveNetwork,
  type NetworkCard,
  type NetworkMeter,
  type Quaternion,
  type RgbImage,
} from '@tawny/core';
import { decodeFloatPicture } from '@tawny/pipeline';
import { Bodies, Instruments, Readings, Takes, type Owned, type StoredPanorama } from '../db/entities';
import { pixelsOf } from '../panoramas/operations';
import type { Services } from '../services';
import { cardsOf, settingsOf, type MeasuredCard } from './cards';
import { latestCalibration, originOf } from './latest';

/** A panorama's unit before anything was measured of it: what nominal sensitivity and exposure tags promise, 95 %. */
const NOMINAL_RIG = {
  value: 1 / NOMINAL_LUMINANCE_PER_UNIT,
  uncertaintyStops: 0.3,
  name: "the rig's nominal sensitivity",
};
/** What a card in the panorama is worth beside the pair that was measured: its noise is part of the pair's. */
const CARD_STOPS = 0.005;
const CARD_REFLECTANCE = 0.18;
/** 95 % half width of what a whole panorama says of illuminance, stops: docs/accuracy.md. */
const PANORAMA_STOPS = 0.05;
/** Lean of a panorama whose orientation was not measured beyond which a level plane is not told, degrees. */
const LEVEL_DEG = 5;

const nameOf = ({ slate, take, camera }: Pick<Take, 'slate' | 'take' | 'camera'>) => `${slate}/${take}${camera}`;

/** A reading of light for the network, or why it cannot be one. */
function meterOf(
  reading: Owned<Reading>,
  instrument: InstrumentRecord | null,
  panorama: { image: RgbImage; rotation: Quaternion | null; levelDeg: number; clipped: boolean },
): NetworkMeter | string {
  const { planeAzimuthDeg, planeElevationDeg } = reading;
  if (planeElevationDeg === null || (planeAzimuthDeg === null && Math.abs(planeElevationDeg) < 90))
    return 'nobody said where its plane faced';
  if (panorama.clipped) return 'the panorama does not hold its brightest light: it cannot say what falls on a plane';
  const level = Math.abs(planeElevationDeg) === 90 && panorama.levelDeg <= LEVEL_DEG;
  if (!panorama.rotation && !level) return 'where the panorama faces was not measured yet';
  const { value, uncertainty } = correctReading('lux', reading.shown, instrument, null);
  if (!(value > 0)) return 'it shows no light';
  const normal = { azimuthDeg: planeAzimuthDeg ?? 0, elevationDeg: planeElevationDeg };
  const world = directionFromAngles(normal.azimuthDeg, normal.elevationDeg);
  const own = panorama.rotation ? rotate(conjugate(panorama.rotation), world) : world;
  const there = luminance(...illuminance(panorama.image, own), panorama.image.space);
  if (!(there > 0)) return 'the panorama throws no light on its plane';
  return {
    name: `${reading.shown} lux on ${normal.elevationDeg === 90 ? 'the level' : `a plane at ${normal.azimuthDeg}°, ${normal.elevationDeg}°`}`,
    kind: 'lux',
    value,
    uncertaintyStops: Math.log2(1 + uncertainty / value),
    normal,
    seenByPanorama: { value: there, uncertaintyStops: PANORAMA_STOPS },
    timeMs: new Date(reading.takenAt).getTime(),
  };
}

/** Every measurement is a pair: the card in a plate, and the same card in the panorama, which stands there once. */
function cardsOnce(measured: readonly MeasuredCard[], shotMs: number): NetworkCard[] {
  if (measured.length === 0) return [];
  const card = { reflectance: CARD_REFLECTANCE, normal: null };
  const inPlates = measured.map(({ take, calibration }): NetworkCard => {
    const { sources } = calibration.scale!;
    const own = sources.find((s) => s.provenance.kind === 'measured') ?? sources[0];
    return {
      ...card,
      name: `card in ${nameOf(take)}`,
      take: take.id,
      value: CARD_REFLECTANCE * 2 ** own.value,
      uncertaintyStops: own.uncertainty,
      timeMs: new Date(take.shotAt).getTime(),
    };
  });
  const inPanorama = { ...card, name: 'card in the panorama', take: null, value: CARD_REFLECTANCE, uncertaintyStops: CARD_STOPS, timeMs: shotMs }; // prettier-ignore
  return [...inPlates, inPanorama];
}

/** Cards that were measured on a panorama, meters and settings of its setup under its light, joined. */
export async function exposuresOf(
  tx: EntityManager,
  { files }: Pick<Services, 'files'>,
  panorama: Owned<StoredPanorama>,
): Promise<Exposures> {
  const { productionId } = panorama;
  const { round, station } = await originOf(tx, panorama);
  const setupId = station.setupId;
  const measured = await cardsOf(tx, productionId, [panorama.id]);
  const underIt = In([round.lightCondition, '']);
  const logged = await tx.getRepository(Takes).findBy({ productionId, setupId, lightCondition: underIt });
  // A take that was measured counts, whatever was logged of its light since.
  const takes = [...new Map([...logged, ...measured.map((m) => m.take)].map((t) => [t.id, t])).values()].sort((a, b) =>
    nameOf(a).localeCompare(nameOf(b), 'en', { numeric: true }),
  );
  const bodies = await tx.getRepository(Bodies).findBy({ productionId });
  const bodyOf = (id: string) => bodies.find((b: CameraBody) => b.id === id)?.name ?? 'a body that is gone';
  const where = { productionId, setupId, kind: 'lux', lightCondition: underIt } as const;
  const readings = await tx.getRepository(Readings).findBy(where);
  const instruments = await tx.getRepository(Instruments).findBy({ productionId });
  const unused: Exposures['unused'] = [];
  const meters: NetworkMeter[] = [];
  if (readings.length > 0) {
    const calibration = await latestCalibration(tx, productionId, panorama.id);
    const orientation = calibration?.orientation ?? null;
    const seen = {
      image: decodeFloatPicture(await files.read(panorama.floatHash), pixelsOf(panorama)),
      rotation: orientation?.frame === 'trueNorth' ? ([...orientation.rotation] as unknown as Quaternion) : null,
      levelDeg: panorama.levelDeg ?? Infinity,
      clipped: panorama.clippedSr > 0,
    };
    for (const reading of readings) {
      const meter = meterOf(reading, instruments.find((i) => i.id === reading.instrumentId) ?? null, seen);
      if (typeof meter === 'string') unused.push({ name: `${reading.shown} lux`, why: meter });
      else meters.push(meter);
    }
  }
  const shotMs = new Date(round.shotAt).getTime();
  const settled = new Map(measured.map((m) => [m.take.id, m.settings]));
  const found = solveNetwork({
    panorama: { rigResponsivity: NOMINAL_RIG, timeMs: shotMs },
    takes: takes.map((take) => {
      const { body, tStop, shutterS, ei, ndStops } = settled.get(take.id) ?? settingsOf(take);
      return { id: take.id, body, tStop, fStop: null, shutterS, ei, ndStops, timeMs: new Date(take.shotAt).getTime() };
    }),
    cards: cardsOnce(measured, shotMs),
    meters,
    driftStopsPerHour: null,
  });
  const named = (name: string) => {
    const take = takes.find((t) => name === `settings of ${t.id}`);
    return take ? `settings of ${nameOf(take)}` : name;
  };
  return {
    takes: found.takes.map(({ id, gainStops, uncertaintyStops, verdict }) => {
      const take = takes.find((t) => t.id === id)!;
      return {
        takeId: id,
        name: nameOf(take),
        body: bodyOf(take.bodyId),
        gainStops,
        uncertaintyStops,
        verdict,
        card: measured.some((m) => m.take.id === id),
      };
    }),
    absolute: meters.length > 0 ? found.absolute : null,
    sources: found.sources.map((s) => ({ ...s, name: named(s.name) })),
    faults: found.faults.map((f) => ({ ...f, sources: f.sources.map(named) })),
    unused,
  };
}
