import { View } from 'react-native';
import type { Calibration, Panorama, Scale } from '@tawny/contract';
import { signed } from '@tawny/core/text/signed';
import { useOperation } from '../../data/queries';
import { Action } from '../../ui/Action';
import { AgreementBars } from '../../ui/AgreementBars';
import { Notice } from '../../ui/Notice';
import { Panel, Reading, Row } from '../../ui/Panel';
import { StateMark } from '../../ui/StateMark';
import { Figure, Text } from '../../ui/Text';
import { SPACE } from '../../ui/tokens';

/** Gain to the plate by the grey card, beside the gain that metadata predicts. */
export function ExposureCard({ panorama, calibration }: { panorama: Panorama; calibration: Calibration | null }) {
  const card = useOperation('panoramas.card', { id: panorama.id });
  const surface = useOperation('panoramas.surface', { id: panorama.id });
  const error = card.error ?? surface.error;
  const gain = calibration?.scale ?? null;
  const stale = (calibration?.basis.changed.length ?? 0) > 0;
  return (
    <Panel
      title="Exposure"
      aside={
        <StateMark
          state={gain ? (gain.verdict === 'agrees' && !stale ? 'complete' : 'doubtful') : 'open'}
          word={gain ? (stale ? 'Stale' : gain.verdict === 'agrees' ? 'Agrees' : 'Doubtful') : 'Not measured'}
        />
      }
    >
      {gain ? (
        <GainResult gain={gain} />
      ) : (
        <Text tone="quietInk">Mark the grey card in a plate and in the panorama, then the gain is measured.</Text>
      )}
      {error ? <Notice state="lost" title="The gain was not measured" detail={error.message} /> : null}
      {gain && stale ? (
        <Row>
          <Action
            grow
            title="Measure again with the same marks"
            busy={card.isPending || surface.isPending}
            onPress={() => {
              const { plateId, plateCorners, panoramaCorners, surface: alone } = gain.card;
              if (panoramaCorners) card.mutate({ plateId, plateCorners, panoramaCorners });
              else surface.mutate({ plateId, plateCorners, kind: alone!.kind });
            }}
          />
        </Row>
      ) : null}
    </Panel>
  );
}

function GainResult({ gain }: { gain: Scale }) {
  const { adopted, sources } = gain;
  const [card, metadata] = sources;
  const disagreement = card.value - metadata.value;
  return (
    <View style={{ gap: SPACE(3) }}>
      <Row wrap gap={5}>
        <Reading label="Gain, plate over panorama">
          <Figure
            value={adopted.value.toFixed(2)}
            unit="stop"
            plusMinus={adopted.uncertainty?.toFixed(2)}
            size="figure"
            testID="gain-stops"
          />
        </Reading>
        <Reading label={`${gain.card.surface ? card.name : 'Card'} against metadata`}>
          <Figure value={signed(disagreement, 2)} unit="stop" size="large" testID="gain-disagreement" />
        </Reading>
        {gain.card.surface ? null : (
          <Reading label="Per channel R G B">
            <Figure value={gain.card.channelStops.map((s) => s.toFixed(2)).join('  ')} unit="stop" size="body" />
          </Reading>
        )}
      </Row>
      {Math.abs(gain.card.falloffStops) >= 0.005 ? (
        <Text size="small" tone="quietInk">
          {`Taken off: ${signed(gain.card.falloffStops, 2)} stop that the lens is assumed to darken there, none to twice as much.`}
        </Text>
      ) : null}
      {gain.card.driftStops >= 0.01 ? (
        <Text size="small" tone="quietInk">
          {`The light may have changed between plate and round, as far as their times are known: ± ${gain.card.driftStops.toFixed(2)} stop of the interval.`}
        </Text>
      ) : null}
      {gain.card.reflectanceStops >= 0.1 ? (
        <Text size="small" tone="quietInk">
          {`Its reflectance is taken for ${gain.card.reflectance.toFixed(2)} ± ${gain.card.reflectanceStops.toFixed(1)} stop: the kit does not say that it was measured, or which one it is.${gain.card.surface ? '' : ' Only a meter rests on it.'}`}
        </Text>
      ) : null}
      {gain.card.surface ? <Alone {...gain.card.surface} name={card.name} /> : null}
      {gain.card.facing ? <Facing {...gain.card.facing} /> : null}
      <AgreementBars
        unit="stop"
        adopted={adopted.value}
        sources={sources.map(({ name, value, uncertainty }) => ({ name, value, plusMinus: uncertainty }))}
      />
      {gain.verdict === 'disagrees' ? (
        <Notice
          state="doubtful"
          title={`The ${card.name.toLowerCase()} is ${Math.abs(disagreement).toFixed(2)} stop ${disagreement > 0 ? 'above' : 'below'} what metadata predicts`}
          detail="Was an ND forgotten or left in on the take or the rig, or is something else marked?"
        />
      ) : null}
    </View>
  );
}

/** What a thing that only the plate shows rests on: the panorama's light stands in for its own. */
function Alone({
  name,
  headingDeg,
  spreadStops,
  litOtherwise,
}: NonNullable<Scale['card']['surface']> & { name: string }) {
  const looked =
    headingDeg === null || spreadStops === null
      ? ''
      : ` It looks so when the camera looks to ${headingDeg.toFixed(0)}° in the picture; its points depart by ${spreadStops.toFixed(2)} stop.`;
  if (litOtherwise)
    return (
      <Notice
        state="doubtful"
        title={`The ${name.toLowerCase()} is not lit as this panorama would light it`}
        detail={`Was the plate shot under another light, or does the box not touch the ball all round?${looked}`}
      />
    );
  return (
    <Text size="small" tone="quietInk">
      {`The ${name.toLowerCase()} stands in the plate alone: the panorama’s own light tells how bright it must be.${looked}`}
    </Text>
  );
}

/** Stops beside the panorama's own light beyond which a card did not stand in it, or is another card: a rig and a card are metres apart. */
const OTHER_LIGHT_STOPS = 0.7;

/** Where the card faces, and whether it stands in the light that the panorama throws there. */
function Facing({ azimuthDeg, elevationDeg, uncertaintyDeg, apartStops }: NonNullable<Scale['card']['facing']>) {
  const leans = `${Math.abs(elevationDeg).toFixed(0)}° ${elevationDeg < 0 ? 'down' : 'up'}`;
  const words = `By its corners the card faces ${azimuthDeg.toFixed(0)}° in the picture, ${leans} (± ${uncertaintyDeg.toFixed(0)}°)`;
  if (apartStops !== null && Math.abs(apartStops) > OTHER_LIGHT_STOPS)
    return (
      <Notice
        state="doubtful"
        title={`The card is ${Math.abs(apartStops).toFixed(1)} stops ${apartStops < 0 ? 'darker' : 'brighter'} than the panorama’s light makes it`}
        detail={`${words}. Does it stand in a shadow, or is its reflectance another one?`}
      />
    );
  return (
    <Text size="small" tone="quietInk">
      {apartStops === null
        ? `${words}.`
        : `${words}; the panorama’s own light makes it ${Math.abs(apartStops).toFixed(2)} stop ${apartStops < 0 ? 'brighter' : 'darker'} there.`}
    </Text>
  );
}
