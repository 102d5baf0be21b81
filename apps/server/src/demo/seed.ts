import { randomUUID } from 'node:crypto';
import { DateTime } from 'luxon';
import type { DataSource, EntitySchema } from 'typeorm';
import { sunDay } from '@tawny/core';
import {
  cameraClockInput,
  dayInput,
  eyeLineInput,
  lampInput,
  locationInput,
  NEEDS_OF_KIND,
  planMarkInput,
  planMeasureInput,
  readingInput,
  RIG_CLOCK,
  setupInput,
  stationInput,
  takeInput,
  type SetupKind,
} from '@tawny/contract';
import { DEMO_PLACE } from '@tawny/pipeline';
import {
  Bodies,
  CameraClocks,
  Days,
  EyeLines,
  Filters,
  Instruments,
  Lamps,
  Lenses,
  Locations,
  PlanMarks,
  PlanMeasures,
  Productions,
  Readings,
  ReferenceObjects,
  Rigs,
  Setups,
  Stations,
  Takes,
} from '../db/entities';
import { demoKit } from './kit';

/** The demo wants the sun this low, in the afternoon. */
const LOW_SUN_DEG = 9;
const ZONE = 'Europe/London';

/** The last instant of a day at which the sun stands at an elevation, or its transit when it never climbs so high. */
function lowSunInstant(date: string): Date {
  const start = DateTime.fromISO(date, { zone: ZONE }).startOf('day');
  const day = sunDay(DEMO_PLACE, start.toJSDate(), start.endOf('day').toJSDate(), 1);
  const above = day.curve.filter((p) => p.elevationDeg >= LOW_SUN_DEG);
  return above.length > 0 ? above[above.length - 1].utc : day.transit;
}

/** Fills an empty database with "The Tin Heron": kit, a shoot day on the given date, setups, takes and what was written down on the set. Does nothing when it is there. */
export async function seedDemo(db: DataSource, date: string): Promise<boolean> {
  if (await db.getRepository(Productions).existsBy({ code: 'HERN' })) return false;
  const lightAt = lowSunInstant(date);
  const at = (minutes: number) => new Date(lightAt.getTime() + minutes * 60000).toISOString();
  const id = () => randomUUID();
  await db.transaction(async (tx) => {
    const productionId = id();
    await tx
      .getRepository(Productions)
      .insert({ id: productionId, code: 'HERN', title: 'The Tin Heron', workingSpace: 'rec709', version: 1 } as never);
    const add = async <T extends { id: string }>(entity: EntitySchema<never>, record: T): Promise<T> => {
      await tx
        .getRepository(entity as EntitySchema<{ id: string }>)
        .insert({ ...record, productionId, version: 1 } as never);
      return record;
    };
    const kit = demoKit();
    for (const [entity, records] of [
      [Bodies, kit.bodies],
      [Lenses, kit.lenses],
      [Rigs, kit.rigs],
      [Filters, kit.filters],
      [Instruments, kit.instruments],
      [ReferenceObjects, kit.objects],
    ] as const) {
      for (const r of records) await add(entity as never, r);
    }
    const location = await add(
      Locations as never,
      locationInput.parse({
        id: id(),
        name: 'Gannet Staithe',
        ...DEMO_PLACE,
        zone: ZONE,
        // The loft to the south and the far shore to the west.
        skyline: [
          [0, 0.8],
          [120, 3],
          [170, 17],
          [196, 21],
          [214, 6],
          [225, 1.2],
          [270, 1.6],
          [330, 0.9],
        ].map(([bearingDeg, elevationDeg]) => ({ bearingDeg, elevationDeg })),
      }),
    );
    const day = await add(
      Days as never,
      dayInput.parse({
        id: id(),
        locationId: location.id,
        number: 6,
        date,
        unit: 'Main unit',
        callLocal: '09:30',
        wrapLocal: '17:30',
        weather: 'Thin high cloud, light wind from the west',
      }),
    );
    const setup = (name: string, slate: string, kind: SetupKind, more: object) =>
      add(
        Setups as never,
        setupInput.parse({ id: id(), dayId: day.id, name, slate, kind, needs: [...NEEDS_OF_KIND[kind]], ...more }),
      );
    const quay = await setup('Quay, low sun', '14A', 'exterior', {
      lightCondition: 'sun out',
      lightConditions: [
        { name: 'sun out', from: at(-40), to: at(18) },
        { name: 'cloud over', from: at(18), to: null },
      ],
      plannedCg: 'The heron steps off the quay edge by the mast',
      cgEastM: -2.4,
      cgNorthM: 5.1,
      cgHeightM: 3.4,
      lightAt: lightAt.toISOString(),
    });
    await setup('Slipway, shade', '15', 'exterior', {
      lightCondition: 'open shade',
      plannedCg: 'The heron wades up the slipway',
      lightAt: at(-60),
    });
    const loft = await setup('Net loft', '22B', 'interior', {
      lightCondition: 'lamps on',
      lightConditions: [
        { name: 'lamps on', from: at(-150), to: at(-110) },
        { name: 'lamps off', from: at(-110), to: null },
      ],
      plannedCg: 'The heron folded on the bench',
      lightAt: at(-140),
    });
    await add(
      CameraClocks as never,
      cameraClockInput.parse({ id: id(), dayId: day.id, camera: 'A', offsetS: 3, source: 'photographed clock' }),
    );
    await add(
      CameraClocks as never,
      cameraClockInput.parse({
        id: id(),
        dayId: day.id,
        camera: RIG_CLOCK,
        rigId: kit.rigs[0].id,
        offsetS: 3,
        source: 'photographed clock',
      }),
    );
    await add(
      Stations as never,
      stationInput.parse({ id: id(), setupId: quay.id, name: 'Station 1', eastM: 0, northM: 0, heightM: 1.62 }),
    );
    const loftStation = await add(
      Stations as never,
      stationInput.parse({ id: id(), setupId: loft.id, name: 'Station 1', eastM: 0, northM: -0.6, heightM: 1.6 }),
    );

    const nd12 = kit.filters.find((f) => f.density === 1.2)!;
    for (const [take, minutes] of [
      [1, -9],
      [2, -3],
    ]) {
      await add(
        Takes as never,
        takeInput.parse({
          id: id(),
          setupId: quay.id,
          slate: '14A',
          take,
          camera: 'A',
          status: take === 2 ? 'circled' : 'ng',
          bodyId: kit.bodies[0].id,
          formatName: '1920 full',
          lensId: kit.lenses[0].id,
          focalLengthMm: 32,
          tStop: 8,
          ei: 800,
          shutterAngleDeg: 180,
          fps: 24,
          whiteBalanceK: 5600,
          ndStops: 4,
          filterIds: [nd12.id],
          heightM: 1.5,
          tiltDeg: -1,
          headingDeg: 8,
          focusM: 6.5,
          eastM: -0.6,
          northM: -4.5,
          lightCondition: 'sun out',
          roll: 'A004',
          clip: `roll4-0${take + 2}`,
          timecodeIn: take === 1 ? '15:31:04:10' : '15:37:20:00',
          timecodeRate: 24,
          shotAt: at(minutes),
          notes: '',
        }),
      );
    }
    await add(
      Takes as never,
      takeInput.parse({
        id: id(),
        setupId: loft.id,
        slate: '22B',
        take: 1,
        camera: 'A',
        status: 'circled',
        bodyId: kit.bodies[0].id,
        formatName: '1920 full',
        lensId: kit.lenses[2].id,
        focalLengthMm: 28,
        tStop: 4,
        ei: 800,
        shutterAngleDeg: 180,
        fps: 24,
        whiteBalanceK: 4300,
        ndStops: 0,
        heightM: 1.45,
        tiltDeg: 0,
        headingDeg: 352,
        focusM: 2.8,
        eastM: 0.8,
        northM: -2.2,
        lightCondition: 'lamps on',
        roll: 'A003',
        clip: 'roll3-11',
        shotAt: at(-140),
        notes: '',
      }),
    );
    await add(
      Lamps as never,
      lampInput.parse({
        id: id(),
        setupId: loft.id,
        name: 'Globe by the shelf',
        kind: 'practical',
        role: 'practical',
        eastM: 2.9,
        northM: -1.7,
        heightM: 2,
        filter: '',
        dimmerPercent: 70,
        onIn: ['lamps on'],
        side: 'right',
      }),
    );
    await add(
      Lamps as never,
      lampInput.parse({
        id: id(),
        setupId: loft.id,
        name: 'Soft box',
        kind: 'softbox',
        role: 'key',
        heightM: null,
        beamDeg: 90,
        filter: 'quarter warm',
        dimmerPercent: 100,
        onIn: ['lamps on'],
        side: 'left',
      }),
    );
    const compass = kit.instruments.find((i) => i.kind === 'compass')!;
    const meter = kit.instruments.find((i) => i.kind === 'luxMeter')!;
    await add(
      Readings as never,
      readingInput.parse({
        id: id(),
        setupId: quay.id,
        kind: 'compass',
        shown: 9,
        instrumentId: compass.id,
        takenAt: at(-12),
        notes: 'Heading of camera A',
      }),
    );
    await add(
      Readings as never,
      readingInput.parse({
        id: id(),
        setupId: loft.id,
        stationId: loftStation.id,
        kind: 'lux',
        shown: 312,
        instrumentId: meter.id,
        receptor: 'flat',
        planeAzimuthDeg: 0,
        planeElevationDeg: 90,
        lightCondition: 'lamps on',
        takenAt: at(-145),
      }),
    );
    const mark = (name: string, kind: string, eastM: number, northM: number, fixed = false) =>
      add(PlanMarks as never, planMarkInput.parse({ id: id(), setupId: quay.id, name, kind, eastM, northM, fixed }));
    const origin = await mark('Station 1', 'station', 0, 0, true);
    const mast = await mark('Mast', 'mark', -3.5, 3.5);
    const camera = await mark('Camera A', 'camera', -0.5, -4.4);
    const measure = (from: { id: string }, to: { id: string }, kind: string, value: number, sigma: number) =>
      add(
        PlanMeasures as never,
        planMeasureInput.parse({
          id: id(),
          setupId: quay.id,
          fromMarkId: from.id,
          toMarkId: to.id,
          kind,
          value,
          sigma,
        }),
      );
    await measure(origin, mast, 'distance', 4.95, 0.02);
    await measure(origin, mast, 'bearing', 313.2, 1.1);
    await measure(origin, camera, 'distance', 4.54, 0.02);
    await measure(camera, mast, 'distance', 8.45, 0.02);
    await measure(origin, camera, 'bearing', 187.9, 1.1);
    await add(
      EyeLines as never,
      eyeLineInput.parse({
        id: id(),
        setupId: quay.id,
        who: 'Ferryman',
        eye: { eastM: 1.2, northM: 0.4, heightM: 1.68 },
        target: { eastM: -2.4, northM: 5.1, heightM: 3.1 },
        standInHeightM: 1.8,
      }),
    );
  });
  return true;
}
