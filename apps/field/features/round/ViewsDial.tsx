import { View } from 'react-native';
import type { GroupingResult, LightRound, Location, Panorama } from '@tawny/contract';
import { useCalibration } from '../../data/queries';
import { Text } from '../../ui/Text';
import { SkyDial } from '../sky/SkyDial';

/** How full every view is, around the sun's path; at true headings once north is measured. */
export function ViewsDial({
  round,
  grouping,
  panorama,
  location,
  date,
}: {
  round: LightRound;
  grouping: GroupingResult;
  panorama: Panorama | undefined;
  location: Location;
  date: string;
}) {
  const calibration = useCalibration(panorama?.id);
  const yaw = calibration.data?.orientation?.adopted.value ?? null;
  const rungs = Math.max(1, grouping.ladderEv.length);
  const shares = Array.from({ length: Math.max(round.rig.views, grouping.views.length) }, (_, i) =>
    grouping.views[i] ? Math.min(1, grouping.views[i].frames.length / rungs) : 0,
  );
  return (
    <View style={{ alignItems: 'center' }}>
      <SkyDial location={location} at={new Date(round.shotAt)} date={date} views={shares} firstHeadingDeg={yaw} />
      <Text size="small" tone="quietInk">
        {yaw === null
          ? 'Views from the first one up: their north is not measured yet'
          : 'Views at their measured headings'}
      </Text>
    </View>
  );
}
