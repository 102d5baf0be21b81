import { DEFAULT_TRANSMISSION, SETTING_STOPS, type ProvenanceKind } from '@tawny/core';
import type { Basis, CameraBody, LensRecord, Location, Take } from '@tawny/contract';
import { headingSeen, takeTimeFrom } from '@tawny/contract/takeRules';
import type { Queries } from '../db/dataSource';
import {
  Bodies,
  Calibrations,
  Lenses,
  Locations,
  Panoramas,
  Readings,
  Takes,
  type Owned,
  type StoredCalibration,
  type StoredPanorama,
} from '../db/entities';
import { takeName } from '../calibrations/joinExposures';
import { shownWords } from '../calibrations/meters';
import type { TakeScale } from './scaleOfTake';
import { basisOfOne, useFact, type UsedFact } from '../records/facts';
import { readingWithinS, takeWithinS } from '../records/timeWithin';

interface PackageParts {
  panorama: Owned<StoredPanorama>;
  calibration: Owned<StoredCalibration> | null;
  take: Owned<Take>;
  body: Owned<CameraBody> | undefined;
  lens: Owned<LensRecord> | undefined;
  location: Owned<Location>;
  /** The gain, and where it was measured. */
  scale: TakeScale | null;
}

/** What a package rests on of its own; through panorama and calibration it rests on what those rest on. */
export async function factsOfPackage(db: Queries, p: PackageParts): Promise<UsedFact[]> {
  const how = (name: string, kind: ProvenanceKind, source: string) => ({
    name,
    provenance: { kind, source, at: null },
  });
  return [
    await useFact(db, Panoramas, p.panorama, ['exrHash'], how('panorama', 'measured', `version ${p.panorama.number}`)),
    ...(p.calibration
      ? [
          await useFact(
            db,
            Calibrations,
            p.calibration,
            ['orientation', 'scale', 'colour'],
            how('calibration', 'measured', `version ${p.calibration.number}`),
          ),
        ]
      : []),
    await useFact(
      db,
      Takes,
      p.take,
      ['focalLengthMm', 'tStop', 'focusM', 'heightM', 'tiltDeg', 'headingDeg', 'headingNorth', 'eastM', 'northM', 'formatName', 'flopped', 'pictureCamera'],
      how('camera of the take', p.take.pictureCamera ? 'measured' : 'logged', cameraFrom(p.take, headingSeen(p.take, p.calibration?.orientation ?? null))),
    ), // prettier-ignore
    await useFact(db, Takes, p.take, ['shotAt', 'shotAtFrom'], {
      ...how('time of the take', takeTimeFrom(p.take).kind, takeTimeFrom(p.take).words),
      ...within(takeWithinS(p.take)),
    }),
    ...(await Promise.all(
      (p.scale?.joined.cards ?? [])
        .filter((c) => c.calibration.id !== p.calibration?.id)
        .map(({ kind, part, calibration, take }, k) =>
          useFact(
            db,
            Calibrations,
            calibration,
            [part, 'aside'],
            how(`${kind} ${k + 1}, in ${takeName(take)}`, 'measured', `version ${calibration.number}`),
          ),
        ),
    )),
    ...(await Promise.all(
      (p.scale?.joined.readings ?? []).map((r, k) =>
        useFact(
          db,
          Readings,
          r,
          ['shown', 'planeAzimuthDeg', 'planeElevationDeg', 'instrumentId', 'lightCondition', 'takenAt'],
          how(`reading ${k + 1}, ${shownWords(r)}`, 'logged', 'light meter'),
        ),
      ),
    )),
    ...(p.scale ? await timesBehind(db, p.scale.joined, p.take) : []),
    ...(p.scale?.carried
      ? [
          await useFact(
            db,
            Takes,
            p.take,
            ['tStop', 'ndStops', 'shutterAngleDeg', 'fps', 'ei', 'bodyId', 'lensId'],
            how('exposure that the gain was carried to', 'logged', `${p.take.slate}/${p.take.take}${p.take.camera}`),
          ),
        ]
      : []),
    ...(p.body ? [await useFact(db, Bodies, p.body, ['formats'], how('recording format', 'logged', p.body.name))] : []),
    ...(p.lens
      ? [
          await useFact(
            db,
            Lenses,
            p.lens,
            ['squeeze', 'transmission', 'entrancePupil', 'distortion'],
            how('lens', 'logged', p.lens.name),
          ),
        ]
      : []),
    ...(p.lens?.transmission === null
      ? [
          await useFact(db, Lenses, p.lens, ['transmission'], {
            ...how(
              'f-number of the camera',
              'assumed',
              `nobody stated the transmission of ${p.lens.name}: ${DEFAULT_TRANSMISSION} is usual`,
            ),
            uncertainty: SETTING_STOPS.transmission,
            unit: 'stop',
          }),
        ]
      : []),
    await useFact(
      db,
      Locations,
      p.location,
      ['latitudeDeg', 'longitudeDeg', 'altitudeM', 'zone'],
      how('place of the set', 'logged', p.location.name),
    ),
  ];
}

/** 95 % half width of a time, when it is not exact. */
const within = (seconds: number) => (seconds > 0 ? { uncertainty: seconds, unit: 's' } : {});

/** When the cards of other takes were seen, and of readings the times that nobody said: the gain follows from how far apart they were. */
async function timesBehind(db: Queries, { cards, readings }: TakeScale['joined'], own: Take): Promise<UsedFact[]> {
  const takes = new Map(cards.filter((c) => c.take.id !== own.id).map((c) => [c.take.id, c.take]));
  return Promise.all([
    ...readings.flatMap((r, k) => {
      const withinS = readingWithinS(r);
      if (withinS === 0) return [];
      const provenance = { kind: 'assumed', source: 'assumed, nobody said when it was', at: null } as const;
      return useFact(db, Readings, r, ['takenAtFrom'], {
        name: `time of reading ${k + 1}`,
        provenance,
        ...within(withinS),
      });
    }),
    ...[...takes.values()].map((t, k, all) => {
      const { kind, words } = takeTimeFrom(t);
      // Takes of two setups may share a name.
      const before = all.slice(0, k).filter((o) => takeName(o) === takeName(t)).length;
      return useFact(db, Takes, t, ['shotAt', 'shotAtFrom'], {
        name: `time of ${takeName(t)}${before > 0 ? ` (${before + 1})` : ''}`,
        provenance: { kind, source: words, at: null },
        ...within(takeWithinS(t)),
      });
    }),
  ]);
}

/** Which take, and what of its camera its own picture told. */
function cameraFrom(
  { slate, take, camera, pictureCamera: seen }: Take,
  heading: ReturnType<typeof headingSeen>,
): string {
  const told = seen
    ? [
        ...(seen.focalLengthMm === null ? [] : ['focal length']),
        'tilt',
        'roll',
        ...(seen.headingDeg === null ? [] : ['heading']),
        ...(seen.heightM === null ? [] : ['height']),
      ]
    : [];
  return `${slate}/${take}${camera}${heading ? `, heading ${heading.value.toFixed(1)}° ± ${heading.uncertainty.toFixed(1)}° by picks in the sight` : ''}${seen ? `, ${told.join(', ')} from its own picture, the rest logged` : ''}`;
}

/** What panorama, calibrations and the measured camera rest on, and what of it has changed since they were made. */
export async function inheritedBasis(
  db: Queries,
  panoramaId: string,
  calibrationIds: readonly (string | undefined)[],
  plateCameraId: string | undefined,
): Promise<Basis> {
  const ids = [...new Set(calibrationIds.filter((id) => id !== undefined))];
  const bases = [
    await basisOfOne(db, 'panoramas', panoramaId),
    ...(await Promise.all(ids.map((id) => basisOfOne(db, 'calibrations', id)))),
    ...(plateCameraId ? [await basisOfOne(db, 'plate_cameras', plateCameraId)] : []),
  ];
  const facts = new Map(bases.flatMap((b) => b.facts.map((f) => [`${f.name} ${f.source}`, f])));
  return { facts: [...facts.values()], changed: [...new Set(bases.flatMap((b) => b.changed))] };
}
