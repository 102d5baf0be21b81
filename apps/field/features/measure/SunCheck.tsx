import { View } from 'react-native';
import type { Orientation, Panorama } from '@tawny/contract';
import { AgreementBars } from '../../ui/AgreementBars';
import { Notice } from '../../ui/Notice';
import { Text } from '../../ui/Text';
import { SPACE } from '../../ui/tokens';

/** What explains a height that does not agree, in the words of what to do. */
const CAUSES: Record<string, string> = {
  clockHour: 'An hour explains it: the zone or summer time of the camera or of the round is off by one.',
  upsideDown: 'The panorama lies upside down: bring it in again the other way up.',
  cannotTell:
    'The rig was not level, or the time of the round, the zone or the coordinates are off. Check those first.',
};

/** The sun's height where it was found against where it must have been: the check on level, clock and place. */
export function SunCheck({
  north,
  sun,
  panorama,
}: {
  north: Orientation;
  sun: NonNullable<Orientation['sun']>;
  panorama: Panorama;
}) {
  return (
    <View style={{ gap: SPACE(3) }}>
      <Text
        size="small"
        tone="quietInk"
      >{`Elevation, the check on level${panorama.levelDeg === null ? '' : ` (known to ±${panorama.levelDeg.toFixed(2)}°)`}, clock and place`}</Text>
      <AgreementBars
        unit="°"
        adopted={sun.computedElevationDeg}
        sources={[
          { name: 'Found in the picture', value: sun.foundElevationDeg, plusMinus: panorama.sun?.uncertaintyDeg ?? 0 },
          {
            name: 'Computed, with level and clock',
            value: sun.computedElevationDeg,
            plusMinus: sun.elevationToleranceDeg,
          },
        ]}
      />
      {sun.heightTestsHour ? null : (
        <Text size="small" tone="quietInk">
          About this hour the sun's height hardly changes: it cannot check the clock here.
        </Text>
      )}
      {north.verdict === 'agrees' ? null : (
        <Notice
          state="doubtful"
          title={`The sun stands ${Math.abs(sun.elevationDifferenceDeg).toFixed(2)}° too ${sun.elevationDifferenceDeg > 0 ? 'high' : 'low'} in the picture`}
          detail={CAUSES[north.sources[0]?.cause ?? 'cannotTell'] ?? CAUSES.cannotTell}
        />
      )}
    </View>
  );
}
