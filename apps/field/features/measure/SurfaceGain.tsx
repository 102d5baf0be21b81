import { useState } from 'react';
import { View } from 'react-native';
import { OBJECT_OF_SURFACE, SURFACE_KINDS, type SurfaceKind } from '@tawny/contract/calibrations';
import { useOperation } from '../../data/queries';
import { Action } from '../../ui/Action';
import { Choice } from '../../ui/Choice';
import type { FourCorners } from '../../ui/corners';
import { Notice } from '../../ui/Notice';
import { Row } from '../../ui/Panel';
import { Text } from '../../ui/Text';
import { SPACE } from '../../ui/tokens';
import { plainCorners } from './plainCorners';
import { useWhichOfKit, WhichOfKit } from './WhichOfKit';

const TITLES: Record<SurfaceKind, string> = {
  greyBall: 'Grey ball',
  chromeBall: 'Chrome ball',
  level: 'Card, lies level',
  upright: 'Card, upright',
};
const HOW: Record<SurfaceKind, string> = {
  greyBall: 'The box must touch the ball all round. Its light and shade tell where the camera looked.',
  chromeBall: 'The box must touch the ball all round. What it mirrors tells where the camera looked.',
  level: 'What the panorama throws on level ground tells how bright the card must be.',
  upright: 'Nobody knows which way it faces: under a sun the interval is more than a stop wide.',
};

/** Gain by a ball or card that only the plate shows, under the light of the panorama: a check where no card was in both. */
export function SurfaceGain({
  panoramaId,
  plateId,
  marked,
}: {
  panoramaId: string;
  plateId: string;
  marked: FourCorners | null;
}) {
  const [kind, setKind] = useState<SurfaceKind>('greyBall');
  const which = useWhichOfKit(OBJECT_OF_SURFACE[kind]);
  const surface = useOperation('panoramas.surface', { id: panoramaId });
  return (
    <View style={{ gap: SPACE(2) }}>
      <Choice
        label="What it is"
        options={SURFACE_KINDS.map((value) => ({ value, title: TITLES[value] }))}
        value={kind}
        onChange={setKind}
      />
      <Text size="small" tone="quietInk">
        {HOW[kind]}
      </Text>
      {marked ? <WhichOfKit {...which} /> : null}
      {surface.error ? <Notice state="lost" title="The gain was not measured" detail={surface.error.message} /> : null}
      {marked ? (
        <Row>
          <Action
            grow
            kind="main"
            title="Measure the gain"
            busy={surface.isPending}
            onPress={() =>
              surface.mutate({
                plateId,
                plateCorners: plainCorners(marked) as never,
                kind,
                referenceObjectId: which.id,
              })
            }
          />
        </Row>
      ) : null}
    </View>
  );
}
