import { router, useLocalSearchParams } from 'expo-router';
import { DateTime } from 'luxon';
import type { Location, ShootDay } from '@tawny/contract';
import { isBeingShot, type DayHours } from '@tawny/contract/dayHours';
import { useDays, useLocations, useSetups } from './queries';

/** The day that is worked at: today's, else the last one before it, else the next; of several on one date the lowest number. */
export function dayAt<D extends Pick<ShootDay, 'date' | 'number'>>(days: readonly D[], today: string): D | undefined {
  const byDate = [...days].sort((a, b) => a.date.localeCompare(b.date) || a.number - b.number);
  const last = byDate.filter((d) => d.date <= today).at(-1);
  return byDate.find((d) => d.date === last?.date) ?? byDate[0];
}

/** The day that is being shot at an instant, also past the midnight of its date; when none is, see `dayAt`. */
export function dayNow<D extends DayHours & Pick<ShootDay, 'number' | 'locationId'>>(
  days: readonly D[],
  locations: readonly Pick<Location, 'id' | 'zone'>[],
  now: DateTime,
): D | undefined {
  const shot = days.filter((d) => {
    const place = locations.find((l) => l.id === d.locationId);
    return place && isBeingShot(d, place.zone, now.toJSDate());
  });
  return dayAt(shot.length > 0 ? shot : days, now.toFormat('yyyy-MM-dd'));
}

/**
 * The setup in the address (`?setup=`), else the first of the day that is worked at, with the day's others, its day and location.
 * @param of whose setup it is instead, where what is shown belongs to one whatever the address says; null while that is not known
 */
export function useSetup(of?: string | null) {
  const { setup: named } = useLocalSearchParams<{ setup?: string }>();
  const wanted = of === undefined ? named : of;
  const setups = useSetups();
  const days = useDays();
  const locations = useLocations();
  const all = setups.data ?? [];
  const withSetups = (days.data ?? []).filter((d) => all.some((s) => s.dayId === d.id));
  const now = locations.data && dayNow(withSetups, locations.data, DateTime.now());
  const setup =
    all.find((s) => s.id === wanted) ?? (of === undefined ? all.find((s) => s.dayId === now?.id) : undefined);
  const day = days.data?.find((d) => d.id === setup?.dayId);
  const location = locations.data?.find((l) => l.id === day?.locationId);
  const error = setups.error ?? days.error ?? locations.error;
  return {
    setup,
    day,
    location,
    /** Those of the same day. */
    setups: all.filter((s) => s.dayId === setup?.dayId),
    error,
    choose: (id: string) => router.setParams({ setup: id }),
  };
}
