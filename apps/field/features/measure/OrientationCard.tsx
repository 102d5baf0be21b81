import { router } from 'expo-router';
import { View } from 'react-native';
import type { Calibration, LightRound, Location, Panorama } from '@tawny/contract';
import { useOperation, useProductionCode, useSave } from '../../data/queries';
import { clockSeconds } from '../../data/time';
import { Action } from '../../ui/Action';
import { AgreementBars } from '../../ui/AgreementBars';
import { Notice } from '../../ui/Notice';
import { Panel, Reading, Row } from '../../ui/Panel';
import { StateMark } from '../../ui/StateMark';
import { Figure, Text } from '../../ui/Text';
import { SPACE } from '../../ui/tokens';
import { headingWords, sentence } from '../../ui/words';
import { SunCheck } from './SunCheck';

/** Why a source was set aside, as far as tests of it are sure. */
const ASIDE: Record<string, string> = {
  clockHour: 'An hour of the clock or the zone would explain it.',
  clock: 'A clock that is off would explain it.',
  pick: 'It is on the wrong thing.',
};

/** How the panorama lies: by the sun where there is one, by the sight, and what was adopted. */
export function OrientationCard({
  round,
  panorama,
  calibration,
  location,
  setupId,
}: {
  round: LightRound;
  panorama: Panorama;
  calibration: Calibration | null;
  location: Location;
  setupId: string;
}) {
  const code = useProductionCode();
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
              : 'North cannot come from the sun here. Lay the panorama over a plate in the sight, shoot a round while the sun is out, or accept that north is unknown.'
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
            {north.sun ? (
              <Reading label={`Sun computed for ${clockSeconds(north.sun.utc, location.zone)}`}>
                <Figure
                  value={north.sun.computedAzimuthDeg.toFixed(2)}
                  unit={`°, ${north.sun.computedElevationDeg.toFixed(2)}° up`}
                  size="large"
                />
              </Reading>
            ) : null}
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
          {north.frame === 'set' ? (
            <Text size="small" tone="quietInk">
              Set frame, north unknown: the plate&apos;s camera looks along azimuth 0. Complete for lighting.
            </Text>
          ) : null}
          {north.plateHeading ? (
            <Text size="small" tone="quietInk">
              {`The plate’s camera looks along ${headingWords(north.plateHeading)}: picks told it, the take logged no heading.`}
            </Text>
          ) : null}
          {north.sources.length > 1 ? (
            <AgreementBars
              unit="°"
              adopted={north.adopted.value}
              sources={north.sources.map((s) => ({ name: s.name, value: s.value, plusMinus: s.uncertainty }))}
            />
          ) : null}
          {north.sources
            .filter((s) => s.outlier)
            .map((s) => (
              <Notice
                key={s.name}
                state="doubtful"
                title={`${s.name} set aside`}
                detail={`It lies ${Math.abs(s.residual).toFixed(1)}° off what the others say. ${ASIDE[s.cause ?? ''] ?? 'Why cannot be told.'}`}
              />
            ))}
          {north.degenerate ? (
            <Text size="small" tone="quietInk">
              {sentence(north.degenerate)}
            </Text>
          ) : null}
          {north.sun && north.sight === null ? <SunCheck north={north} sun={north.sun} panorama={panorama} /> : null}
        </View>
      ) : null}
      {measure.error ? <Notice state="lost" title="North was not measured" detail={measure.error.message} /> : null}
      <Row wrap>
        {sun ? (
          <Action
            kind={north ? 'quiet' : 'main'}
            grow
            title={north ? 'Measure north again' : 'Turn to north by the sun'}
            busy={measure.isPending}
            onPress={() => measure.mutate({})}
          />
        ) : null}
        <Action
          kind={sun || north ? 'quiet' : 'main'}
          grow
          title="Open the sight"
          onPress={() => router.push(`/${code}/sight?setup=${setupId}&panorama=${panorama.id}`)}
        />
      </Row>
    </Panel>
  );
}
