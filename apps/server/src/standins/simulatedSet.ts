import { DateTime } from 'luxon';
import type { SetSpec } from '@tawny/pipeline';
import type { SetPlace } from '../records/place';

/** Haze of the demo's air. */
const TURBIDITY = 4;
/** The demo set is the same one for every production and day. */
const SET_SEED = 7;

/**
 * The simulated set under the sun of a place and time and in a light condition: words of the condition decide (cloud, overcast; lamps on).
 * Interiors are the net loft, everything else the quay.
 */
export function simulatedSet(
  { setup, location }: Pick<SetPlace, 'setup' | 'location'>,
  at: Date,
  condition = setup.lightCondition,
): { spec: SetSpec; utcOffsetMinutes: number } {
  const { latitudeDeg, longitudeDeg, altitudeM } = location;
  const interior = setup.kind === 'interior';
  return {
    spec: {
      scene: interior ? 'netLoft' : 'quay',
      seed: SET_SEED,
      place: { latitudeDeg, longitudeDeg, altitudeM },
      utc: at.toISOString(),
      turbidity: TURBIDITY,
      // Somebody holds it up beside the grey card.
      props: ['chart'],
      ...(interior ? { lampsOn: /\blamps? on\b/i.test(condition) } : {}),
      ...(/cloud|overcast/i.test(condition) ? { overcast: true } : {}),
    },
    utcOffsetMinutes: DateTime.fromJSDate(at, { zone: location.zone }).offset,
  };
}
