import { randomUUID } from 'node:crypto';
import { DateTime } from 'luxon';
import type { DataSource } from 'typeorm';
import { sunDay } from '@tawny/core';
import { DEMO_PLACE } from '@tawny/pipeline';
import { Bodies, Days, Lenses, Locations, Productions, Setups, Stations, Takes } from '../db/entities';

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

/** Fills an empty database with "The Tin Heron": kit, a shoot day on the given date, setups and two takes. Does nothing when it is there. */
export async function seedDemo(db: DataSource, date: string): Promise<boolean> {
  if (await db.getRepository(Productions).existsBy({ code: 'HERN' })) return false;
  const lightAt = lowSunInstant(date);
  const at = (minutes: number) => new Date(lightAt.getTime() + minutes * 60000).toISOString();
  await db.transaction(async (tx) => {
    const add = async (entity: never, values: Record<string, unknown>) => {
      const id = randomUUID();
      await tx.getRepository(entity).insert({ id, version: 1, ...values } as never);
      return id;
    };
    const productionId = await add(Productions as never, { code: 'HERN', title: 'The Tin Heron', workingSpace: 'rec709' });
    const locationId = await add(Locations as never, { productionId, name: 'Gannet Staithe', ...DEMO_PLACE, zone: ZONE });
    const dayId = await add(Days as never, { productionId, locationId, number: 6, date, unit: 'Main unit', callLocal: '09:30', wrapLocal: '17:30' });
    const quay = await add(Setups as never, {
      productionId, dayId, name: 'Quay, low sun', slate: '14A', kind: 'exterior', lightCondition: 'sun out', plannedCg: 'The heron steps off the quay edge by the mast', lightAt: lightAt.toISOString(),
    });
    await add(Setups as never, {
      productionId, dayId, name: 'Slipway, shade', slate: '15', kind: 'exterior', lightCondition: 'open shade', plannedCg: 'The heron wades up the slipway', lightAt: at(-60),
    });
    await add(Setups as never, { productionId, dayId, name: 'Net loft', slate: '22B', kind: 'interior', lightCondition: 'lamps on', plannedCg: 'The heron folded on the bench', lightAt: null });
    const bodyId = await add(Bodies as never, {
      productionId, name: 'Corrie 35', baseEi: 800,
      formats: [
        { name: '1920 full', gateWidthMm: 24.89, gateHeightMm: 14, widthPx: 1920, heightPx: 1080, maxFps: 60 },
        { name: '1440 centre', gateWidthMm: 18.67, gateHeightMm: 14, widthPx: 1440, heightPx: 1080, maxFps: 96 },
      ],
    });
    const prime = await add(Lenses as never, { productionId, name: 'Skerry prime 32', focalMinMm: 32, focalMaxMm: 32, tMin: 1.8, tMax: 22, closeFocusM: 0.35 });
    await add(Lenses as never, { productionId, name: 'Skerry zoom 24-70', focalMinMm: 24, focalMaxMm: 70, tMin: 2.9, tMax: 22, closeFocusM: 0.6 });
    await add(Stations as never, { productionId, setupId: quay, name: 'Station 1', eastM: 0, northM: 0, heightM: 1.62 });
    for (const [take, minutes] of [[1, -9], [2, -3]]) {
      await add(Takes as never, {
        productionId, setupId: quay, slate: '14A', take, camera: 'A', status: take === 2 ? 'circled' : 'ng', bodyId, formatName: '1920 full', lensId: prime, focalLengthMm: 32,
        tStop: 8, ei: 800, shutterAngleDeg: 180, fps: 24, whiteBalanceK: 5600, ndStops: 4, heightM: 1.5, tiltDeg: -1, headingDeg: 8, focusM: 6.5, eastM: -0.6, northM: -4.5,
        shotAt: at(minutes), notes: '',
      });
    }
  });
  return true;
}

