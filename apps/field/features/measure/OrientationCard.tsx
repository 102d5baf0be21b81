import { View } from 'react-native';
import type { Calibration, LightRound, Location, Panorama } from '@tawny/contract';
import { useOperation, useSave } from '../../data/queries';
import { clockSeconds } from '../../data/time';
import { Action } from '../../ui/Action';
import { AgreementBars } from '../../ui/AgreementBars';
import { Notice } from '../../ui/Notice';
import { Panel, Reading, Row } from '../../ui/Panel';
import { StateMark } from '../../ui/StateMark';
import { Figure, Text } from '../../ui/Text';
import { SPACE } from '../../ui/tokens';

/** What explains a height that does not agree, in the words of what to do. */
const CAUSES: Record<string, string> = {
  clockHour: 'An hour explains it: the zone or summer time of the camera or of the round is off by one.',
  upsideDown: 'The panorama lies upside down: bring it in again the other way up.',
  cannotTell:
    'The rig was not level, or the time of the round, the zone or the coordinates are off. Check those first.',
};

/** North from the sun: where it was found, where it must have been, and the turn between. */
export function OrientationCard({
  round,
  panorama,
  calibration,
  location,
}: {
  round: LightRound;
  panorama: Panorama;
  calibration: Calibration | null;
  location: Location;
}) {
  const accept = useSave<LightRound>('rounds');
  const measure = useOperation('panoramas.north', { id: panorama.id });
  const north = calibration?.orientation ?? null;
  const stale = (calibration?.basis.changed.length ?? 0) > 0;
  const { sun } = panorama;
  return (
    <Panel
      title="Orientation"
      aside={
        <StateMark
          state={north ? (north.verdict === 'agrees' && !stale ? 'complete' : 'doubtful') : 'open'}
          word={north ? (stale ? 'Stale' : north.verdict === 'agrees' ? 'Agrees' : 'Doubtful') : 'Not measured'}
        />
      }
    >
      {sun ? (
        <Row wrap gap={5}>
          <Reading label="Sun found in the picture at">
            <Figure
              value={sun.azimuthDeg.toFixed(2)}
              unit={`°, ${sun.elevationDeg.toFixed(2)}° up`}
              plusMinus={`${sun.uncertaintyDeg.toFixed(2)}°`}
              size="large"
            />
          </Reading>
          <Reading label="Its disc">
            <Figure
              value={sun.diameterDeg.toFixed(2)}
              unit={sun.clipped ? '° across, clipped' : '° across, not clipped'}
              size="large"
            />
          </Reading>
        </Row>
      ) : (
        <Notice
          state={round.northUnknown ? 'open' : 'doubtful'}
          title="No sun was found in this panorama"
          detail={
            round.northUnknown
              ? 'Accepted: north unknown. Packages are complete for lighting in the frame of the set, and say so.'
              : 'North cannot come from the sun here. Shoot a round with the sun in sight while it is out, or accept that north is unknown.'
          }
        >
          <Row>
            <Action
              title={round.northUnknown ? 'Ask for north again' : 'Accept: north unknown'}
              busy={accept.isPending}
              onPress={() => accept.mutate({ record: round, change: { northUnknown: !round.northUnknown } })}
            />
          </Row>
          {accept.error ? <Text tone="madder">{accept.error.message}</Text> : null}
        </Notice>
      )}
      {north ? (
        <View style={{ gap: SPACE(3) }}>
          <Row wrap gap={5}>
            <Reading label={`Sun computed for ${clockSeconds(north.sun.utc, location.zone)}`}>
              <Figure
                value={north.sun.computedAzimuthDeg.toFixed(2)}
                unit={`°, ${north.sun.computedElevationDeg.toFixed(2)}° up`}
                size="large"
              />
            </Reading>
            <Reading label="Panorama turned by">
              <Figure
                value={north.adopted.value.toFixed(2)}
                unit="°"
                plusMinus={north.adopted.uncertainty === null ? undefined : `${north.adopted.uncertainty.toFixed(2)}°`}
                size="figure"
                testID="north-yaw"
              />
            </Reading>
          </Row>
          <Text
            size="small"
            tone="quietInk"
          >{`Elevation, the check on level${panorama.levelDeg === null ? '' : ` (known to ±${panorama.levelDeg.toFixed(2)}°)`}, clock and place`}</Text>
          <AgreementBars
            unit="°"
            adopted={north.sun.computedElevationDeg}
            sources={[
              { name: 'Found in the picture', value: north.sun.foundElevationDeg, plusMinus: sun?.uncertaintyDeg ?? 0 },
              {
                name: 'Computed, with level and clock',
                value: north.sun.computedElevationDeg,
                plusMinus: north.sun.elevationToleranceDeg,
              },
            ]}
          />
          {north.sun.heightTestsHour ? null : (
            <Text size="small" tone="quietInk">
              About this hour the sun's height hardly changes: it cannot check the clock here.
            </Text>
          )}
          {north.verdict === 'agrees' ? null : (
            <Notice
              state="doubtful"
              title={`The sun stands ${Math.abs(north.sun.elevationDifferenceDeg).toFixed(2)}° too ${north.sun.elevationDifferenceDeg > 0 ? 'high' : 'low'} in the picture`}
              detail={CAUSES[north.sources[0]?.cause ?? 'cannotTell'] ?? CAUSES.cannotTell}
            />
          )}
        </View>
      ) : null}
      {measure.error ? <Notice state="lost" title="North was not measured" detail={measure.error.message} /> : null}
      {sun ? (
        <Row>
          <Action
            kind={north ? 'quiet' : 'main'}
            grow
            title={north ? 'Measure north again' : 'Turn to north by the sun'}
            busy={measure.isPending}
            onPress={() => measure.mutate({})}
          />
        </Row>
      ) : null}
    </Panel>
  );
}
