import { View } from 'react-native';
import type { Exposures, LightRound, PanoramaRig } from '@tawny/contract';
import { NOMINAL_LUMINANCE_PER_UNIT } from '@tawny/core/photometry/exposure';
import { signed } from '@tawny/core/text/signed';
import { useRigs } from '../../data/queries';
import { dateOf } from '../../data/time';
import { Text } from '../../ui/Text';
import { SPACE } from '../../ui/tokens';
import { BeginWithIt } from '../kit/BeginWithIt';

type Unit = NonNullable<Exposures['absolute']>;
type Sensitivity = NonNullable<PanoramaRig['statement']['sensitivity']>;

/** Below this two figures are one, stops. */
const SAME_STOPS = 0.005;

/** What a rig makes of light against nominal sensitivity, by what one unit of its panorama was found to be worth. */
export function sensitivityOf(unit: Unit, { id, shotAt }: LightRound, zone: string): Sensitivity {
  return {
    stops: Math.log2(NOMINAL_LUMINANCE_PER_UNIT / unit.whiteLuminance),
    uncertaintyStops: unit.uncertaintyStops,
    measuredOn: dateOf(shotAt, zone),
    roundId: id,
  };
}

const plusMinus = ({ stops, uncertaintyStops }: Sensitivity) =>
  `${signed(stops, 2)} ± ${uncertaintyStops.toFixed(2)} stop`;

/** What was found, and what an earlier round of the rig had told, where one did. */
export function sensitivityWords(found: Sensitivity, before: Sensitivity | undefined): string {
  const words = `The rig is ${plusMinus(found)} off its nominal sensitivity`;
  return before && before.roundId !== found.roundId
    ? `${words}; ${plusMinus(before)} as measured ${before.measuredOn ?? 'before'}.`
    : `${words}.`;
}

/** What meters told of the rig is offered to the kit: its next rounds begin with it, and are checked by it. */
export function RigSensitivity({ round, unit, zone }: { round: LightRound; unit: Unit; zone: string }) {
  const rigs = useRigs();
  const rig = rigs.data?.find((r) => r.id === round.rigId);
  if (!rig || unit.provenance !== 'measured') return null;
  const found = sensitivityOf(unit, round, zone);
  const before = rig.statement.sensitivity;
  const kept =
    before !== undefined && before.roundId === found.roundId && Math.abs(before.stops - found.stops) < SAME_STOPS;
  return (
    <View style={{ gap: SPACE(2) }} testID="rig-sensitivity">
      <Text size="small">{sensitivityWords(found, before)}</Text>
      <BeginWithIt rig={rig} learned={{ sensitivity: found }} kept={kept} />
    </View>
  );
}
