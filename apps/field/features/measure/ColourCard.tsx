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

/** Patches by their names, those of a kind together. */
const namesOf = (patches: ColourFinding['patches']) => patches.map((p) => p.name).join(', ');

/** What was fitted, what had no part in it and why, and what it cannot mend. */
export function colourDetails({ kind, formatName, patches, veil }: ColourFinding, body: string): string {
  const leftOut = (['clipped', 'shaded', 'dark'] as const).flatMap((reason) => {
    const of = patches.filter((p) => p.reason === reason);
    return of.length > 0 ? [`${namesOf(of)} (${reason})`] : [];
  });
  const [outside, metameric] = [patches.filter((p) => p.outOfGamut), patches.filter((p) => p.metameric)];
  return [
    `${kind === 'matrix' ? 'Matrix' : 'Gains'} for ${body}, ${formatName}. Plate around, panorama in the middle of each patch.`,
    ...(leftOut.length > 0 ? [`Left out: ${leftOut.join('; ')}.`] : []),
    ...(veil
      ? [
          `The plate’s lens veils by ${veil.map((v) => (100 * v).toFixed(1)).join(', ')} % of white (R, G, B): taken off.`,
        ]
      : []),
    ...(metameric.length > 0
      ? [`The cameras see the spectra of ${namesOf(metameric)} differently: no matrix mends that.`]
      : []),
    ...(outside.length > 0 ? [`Outside of the working primaries, kept as they are: ${namesOf(outside)}.`] : []),
  ].join(' ');
}

export function colourSummary(colour: ColourFinding | null): string {
  if (!colour) return 'Not measured: the colours are those of the panorama camera';
  const { before, mean } = colour.deltaE2000;
  const by = colour.regions.length > 0 ? `${colour.regions.length} regions` : 'a chart';
  return `Matched by ${by}: mean difference ${before.toFixed(1)} before, ${mean.toFixed(1)} after`;
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
  const regions = useOperation('panoramas.colourByRegions', { id: panorama.id });
  const stale = calibration?.basis.changed.some((f) => /chart|regions/.test(f)) ?? false;
  const error = measure.error ?? regions.error;
  return (
    <Fold title="Colour" summary={colourSummary(colour)}>
      {colour ? (
        <ColourResult colour={colour} bodies={bodies} />
      ) : (
        <Text tone="quietInk">
          Choose the chart above: it is found in a plate and in the panorama, then the colours are matched. Without one,
          choose regions.
        </Text>
      )}
      {error ? <Notice state="lost" title="The colours were not matched" detail={error.message} /> : null}
      {colour && stale ? (
        <Row>
          <Action
            grow
            title="Match again with the same marks"
            busy={measure.isPending || regions.isPending}
            onPress={() => {
              const { plateId, plateCorners, panoramaCorners, keepWhite } = colour;
              if (colour.regions.length > 0) regions.mutate({ plateId, regions: colour.regions });
              else measure.mutate({ plateId, plateCorners, panoramaCorners, keepWhite });
            }}
          />
        </Row>
      ) : null}
    </Fold>
  );
}

function ColourResult({ colour, bodies }: { colour: ColourFinding; bodies: readonly CameraBody[] }) {
  const { deltaE2000: d } = colour;
  const body = bodies.find((b) => b.id === colour.bodyId)?.name ?? 'a body that is gone';
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
        <Reading label={colour.regions.length > 0 ? 'Gain by the regions' : 'Gain by the chart'}>
          <Figure value={colour.gainStops.toFixed(2)} unit="stop" plusMinus={colour.uncertaintyStops.toFixed(2)} />
        </Reading>
      </Row>
      <PatchGrid colour={colour} />
      <Text size="small" tone="quietInk">
        {colourDetails(colour, body)}
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
