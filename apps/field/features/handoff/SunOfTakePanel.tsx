import { lengthOfTakeS } from '@tawny/core/camera/timecode';
import { sunOfTake, sunOverTake } from '@tawny/core/lights/sunOfTake';
import { View } from 'react-native';
import type { Location, Setup, Take } from '@tawny/contract';
import { clockOfTake, clockSeconds } from '../../data/time';
import { Either } from '../../ui/Either';
import { Reading, Row } from '../../ui/Panel';
import { StateMark } from '../../ui/StateMark';
import { Figure, Text } from '../../ui/Text';
import { durationWords } from '../../ui/words';
import { useTheme } from '../../ui/theme';
import { SPACE } from '../../ui/tokens';

/** Where the sun stood at the take, how far it went on since the round, and whether its light is aimed anew for it. */
export function SunOfTakePanel({
  setup,
  location,
  sunAt,
  take,
  aim,
  onAim,
}: {
  setup: Setup;
  location: Location;
  /** When the panorama's sun was photographed. */
  sunAt: string;
  take: Take;
  aim: boolean;
  onAim: (aim: boolean) => void;
}) {
  const sun = sunOfTake(location, new Date(take.shotAt), new Date(sunAt));
  const lengthS = lengthOfTakeS(take);
  const end = lengthS === null ? null : sunOverTake(location, new Date(take.shotAt), lengthS);
  const { palette } = useTheme();
  const stale = sun.driftDeg > setup.driftLimitDeg;
  return (
    <View style={{ gap: SPACE(3), borderTopWidth: 1, borderColor: palette.hairline, paddingTop: SPACE(3) }}>
      <Row style={{ justifyContent: 'space-between' }}>
        <Text strong>Sun of the take</Text>
        <StateMark state={stale ? 'doubtful' : 'complete'} word={stale ? 'Stale' : 'Fresh'} />
      </Row>
      <Row wrap gap={5}>
        <Reading label={`At ${clockOfTake(take, location.zone, clockSeconds)}`}>
          <Figure
            value={sun.azimuthDeg.toFixed(1)}
            unit={`°, ${sun.elevationDeg.toFixed(1)}° up`}
            size="large"
            testID="take-sun"
          />
        </Reading>
        {sun.shadowLengthM !== null ? (
          <Reading label="Shadow of 1 m">
            <Figure
              value={sun.shadowLengthM.toFixed(2)}
              unit={`m to ${sun.shadowAzimuthDeg!.toFixed(0)}°`}
              size="large"
            />
          </Reading>
        ) : null}
        {end ? (
          <Reading label={`Over its ${durationWords(lengthS!)}`}>
            <Figure
              value={end.movesDeg.toFixed(2)}
              unit={`° on${end.shadowLengthM === null ? '' : `, shadow to ${end.shadowLengthM.toFixed(2)} m`}`}
              size="large"
              testID="take-moves"
            />
          </Reading>
        ) : null}
        <Reading label="From the round's sun">
          <Figure
            value={sun.driftDeg.toFixed(2)}
            unit={`° of ${setup.driftLimitDeg}°`}
            size="large"
            testID="take-drift"
          />
        </Reading>
      </Row>
      <Either label="The sun's light" yes="Aimed as at the take" no="As photographed" value={aim} onChange={onAim} />
      <Text size="small" tone="quietInk">
        {aim
          ? 'Its brightness and colour, the sky and the shadows in the panorama stay those of the round.'
          : 'Its shadows fall as in the panorama, not as in the plate.'}
      </Text>
      {stale ? (
        <Text
          size="small"
          tone="ochre"
        >{`The round is older than the sun allows: shoot one beside the take, or live with a sky that is ${sun.driftDeg.toFixed(1)}° of sun away.`}</Text>
      ) : null}
    </View>
  );
}
