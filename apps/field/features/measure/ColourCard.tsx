import { View } from 'react-native';
import type { Calibration, CameraBody, ColourFinding, Panorama } from '@tawny/contract';
import { useOperation } from '../../data/queries';
import { Action } from '../../ui/Action';
import { Fold } from '../../ui/Fold';
import { Notice } from '../../ui/Notice';
import { Reading, Row } from '../../ui/Panel';
import { Figure, Text } from '../../ui/Text';
import { SPACE } from '../../ui/tokens';
import { PatchGrid } from './PatchGrid';

/** Difference of patches left out of the fit beyond which the colours are not to be trusted: plainly seen side by side. */
const PLAIN_DIFFERENCE = 5;

export function colourSummary(colour: ColourFinding | null): string {
  if (!colour) return 'Not measured: the colours are those of the panorama camera';
  const { before, mean } = colour.deltaE2000;
  return `Matched by a chart: mean difference ${before.toFixed(1)} before, ${mean.toFixed(1)} after`;
}

/** Colours of the panorama onto those of the plate, by a chart in both. */
export function ColourCard({
  panorama,
  calibration,
  bodies,
}: {
  panorama: Panorama;
  calibration: Calibration | null;
  bodies: readonly CameraBody[];
}) {
  const measure = useOperation('panoramas.colour', { id: panorama.id });
  const colour = calibration?.colour ?? null;
  const stale = calibration?.basis.changed.some((f) => /chart/.test(f)) ?? false;
  return (
    <Fold title="Colour" summary={colourSummary(colour)}>
      {colour ? (
        <ColourResult colour={colour} bodies={bodies} />
      ) : (
        <Text tone="quietInk">
          Choose the chart above: it is found in a plate and in the panorama, then the colours are matched.
        </Text>
      )}
      {measure.error ? (
        <Notice state="lost" title="The colours were not matched" detail={measure.error.message} />
      ) : null}
      {colour && stale ? (
        <Row>
          <Action
            grow
            title="Match again with the same marks"
            busy={measure.isPending}
            onPress={() => {
              const { plateId, plateCorners, panoramaCorners, keepWhite } = colour;
              measure.mutate({ plateId, plateCorners, panoramaCorners, keepWhite });
            }}
          />
        </Row>
      ) : null}
    </Fold>
  );
}

function ColourResult({ colour, bodies }: { colour: ColourFinding; bodies: readonly CameraBody[] }) {
  const { deltaE2000: d, patches } = colour;
  const body = bodies.find((b) => b.id === colour.bodyId)?.name ?? 'a body that is gone';
  const leftOut = (['clipped', 'shaded', 'dark'] as const).flatMap((reason) => {
    const names = patches.filter((p) => p.reason === reason).map((p) => p.name);
    return names.length > 0 ? [`${names.join(', ')} (${reason})`] : [];
  });
  const outside = patches.filter((p) => p.outOfGamut);
  return (
    <View style={{ gap: SPACE(3) }}>
      <Row wrap gap={5}>
        <Reading label="Mean CIEDE2000 after">
          <Figure value={d.mean.toFixed(2)} unit="" size="figure" testID="colour-difference" />
        </Reading>
        <Reading label="Before">
          <Figure value={d.before.toFixed(2)} unit="" size="large" />
        </Reading>
        {d.leaveOneOutMean === null ? null : (
          <Reading label="Patches left out of the fit">
            <Figure value={d.leaveOneOutMean.toFixed(2)} unit="" size="large" />
          </Reading>
        )}
        <Reading label="Gain by the chart">
          <Figure value={colour.gainStops.toFixed(2)} unit="stop" plusMinus={colour.uncertaintyStops.toFixed(2)} />
        </Reading>
      </Row>
      <PatchGrid colour={colour} />
      <Text size="small" tone="quietInk">
        {`${colour.kind === 'matrix' ? 'Matrix' : 'Gains'} for ${body}, ${colour.formatName}. Plate around, panorama in the middle of each patch.${
          leftOut.length > 0 ? ` Left out: ${leftOut.join('; ')}.` : ''
        }${outside.length > 0 ? ` Outside of the working primaries, kept as they are: ${outside.map((p) => p.name).join(', ')}.` : ''}`}
      </Text>
      {(d.leaveOneOutMean ?? d.mean) > PLAIN_DIFFERENCE ? (
        <Notice
          state="doubtful"
          title="The two cameras do not see these colours alike"
          detail="No matrix joins them closely: other light on the chart in one of the pictures, a curve that is stated wrongly, or corners marked in another order?"
        />
      ) : null}
    </View>
  );
}
