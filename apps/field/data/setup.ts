import { router, useLocalSearchParams } from 'expo-router';
import { useDays, useLocations, useSetups } from './queries';

/** The setup in the address (`?setup=`), else the first of the production, with its day and location. */
export function useSetup() {
  const { setup: wanted } = useLocalSearchParams<{ setup?: string }>();
  const setups = useSetups();
  const days = useDays();
  const locations = useLocations();
  const setup = setups.data?.find((s) => s.id === wanted) ?? setups.data?.[0];
  const day = days.data?.find((d) => d.id === setup?.dayId);
  const location = locations.data?.find((l) => l.id === day?.locationId);
  const error = setups.error ?? days.error ?? locations.error;
  return {
    setup,
    day,
    location,
    setups: setups.data ?? [],
    error,
    choose: (id: string) => router.setParams({ setup: id }),
  };
}
