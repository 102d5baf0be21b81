import { useState } from 'react';
import { View } from 'react-native';
import type { BuildInput, Panorama } from '@tawny/contract';
import { buildInput } from '@tawny/contract/results';
import { useOperation } from '../../data/queries';
import { Action } from '../../ui/Action';
import { Choice } from '../../ui/Choice';
import { Either } from '../../ui/Either';
import { Fold } from '../../ui/Fold';
import { Notice } from '../../ui/Notice';
import { Row } from '../../ui/Panel';
import { Text } from '../../ui/Text';
import { SPACE } from '../../ui/tokens';
import { widthFor, WIDTHS } from './buildWidth';
import { ChosenAreas, type Spot } from './ChosenAreas';

const DEFAULTS = buildInput.parse({});

const MOVED_STOPS = [
  ['0.16', '⅙ stop'],
  ['0.32', '⅓ stop'],
  ['0.64', '⅔ stop'],
  ['1.5', '1½ stops'],
].map(([value, title]) => ({ value, title }));
const TRIPODS = [0, 10, 20, 30].map((deg) => ({ value: String(deg), title: deg === 0 ? 'None' : `${deg}°` }));

/** The build, and what may be chosen for another one; the frames are never touched. */
export function BuildAction({
  roundId,
  panorama,
  views,
  detailPx,
  spot,
  yawDeg,
  busy,
}: {
  roundId: string;
  panorama: Panorama | undefined;
  views: number;
  /** Pixels around that the frames can show. */
  detailPx: number | null;
  spot: Spot | null;
  yawDeg: number;
  busy: boolean;
}) {
  const [input, setInput] = useState<BuildInput>({
    ...DEFAULTS,
    widthPx: widthFor(detailPx),
    ...(panorama?.options as Partial<BuildInput> | undefined),
    ...(panorama && WIDTHS.some((w) => w.value === String(panorama.widthPx)) ? { widthPx: panorama.widthPx } : {}),
  });
  const build = useOperation('rounds.build', { id: roundId });
  const set = (part: Partial<BuildInput>) => setInput((i) => ({ ...i, ...part }));
  const chosen = [
    input.moved ? 'moving things taken out' : 'moving things kept',
    input.camera === 'round' ? 'camera measured' : 'camera as stated',
    input.geometry === 'refined' ? 'views fitted' : `views by ${input.geometry}`,
    input.level ? 'levelled' : 'as it leant',
    input.nadir === 'fill' ? 'holes filled' : 'holes black',
    input.tripodDeg > 0 ? 'tripod cut out' : '',
    input.areas.length > 0 ? `${input.areas.length} place${input.areas.length === 1 ? '' : 's'} by hand` : '',
  ]
    .filter(Boolean)
    .join(', ');
  return (
    <View style={{ gap: SPACE(3) }}>
      <Fold title="How to build" summary={chosen}>
        <Text size="small" tone="quietInk">
          Things that moved within a bracket
        </Text>
        <Either
          label="Moving things"
          yes="Take out"
          no="Keep"
          value={input.moved}
          onChange={(v) => set({ moved: v })}
        />
        {input.moved ? (
          <>
            <Text size="small" tone="quietInk">
              Frames contradict each other when they differ by
            </Text>
            <Choice
              label="Frames differ by"
              options={MOVED_STOPS}
              value={String(input.movedStops)}
              onChange={(v) => set({ movedStops: Number(v) })}
            />
          </>
        ) : null}
        {panorama && views > 1 ? (
          <ChosenAreas
            panorama={panorama}
            views={views}
            spot={spot}
            yawDeg={yawDeg}
            areas={input.areas}
            onChange={(areas) => set({ areas })}
          />
        ) : null}
        <Text size="small" tone="quietInk">
          Curve and exposures of the camera
        </Text>
        <Choice
          label="Camera"
          options={[
            { value: 'round', title: 'Measure from the round' },
            { value: 'file', title: 'Believe the file' },
          ]}
          value={input.camera}
          onChange={(camera) => set({ camera })}
        />
        <Text size="small" tone="quietInk">
          Where the views looked
        </Text>
        <Choice
          label="Geometry"
          options={[
            { value: 'refined', title: 'Metadata and pictures' },
            { value: 'features', title: 'Pictures only' },
            { value: 'metadata', title: 'Metadata only' },
          ]}
          value={input.geometry}
          onChange={(geometry) => set({ geometry })}
        />
        <Text size="small" tone="quietInk">
          Level, told by what stands upright
        </Text>
        <Either label="Level" yes="Mend" no="Leave" value={input.level} onChange={(v) => set({ level: v })} />
        <Text size="small" tone="quietInk">
          {`Width of the panorama${detailPx === null ? '' : `; by the rig’s angle the frames show about ${(Math.round(detailPx / 100) / 10).toFixed(1)}K around`}`}
        </Text>
        <Choice
          label="Width"
          options={WIDTHS}
          value={String(input.widthPx)}
          onChange={(v) => set({ widthPx: Number(v) })}
        />
        <Text size="small" tone="quietInk">
          Tripod: what lies this near to straight down counts as not seen
        </Text>
        <Choice
          label="Tripod"
          options={TRIPODS}
          value={String(input.tripodDeg)}
          onChange={(v) => set({ tripodDeg: Number(v) })}
        />
        <Text size="small" tone="quietInk">
          What no view saw
        </Text>
        <Choice
          label="Holes"
          options={[
            { value: 'keep', title: 'Leave black' },
            { value: 'fill', title: 'Fill from around' },
          ]}
          value={input.nadir}
          onChange={(nadir) => set({ nadir })}
        />
      </Fold>
      {build.error ? <Notice state="lost" title="The build did not start" detail={build.error.message} /> : null}
      <Row wrap>
        <Action
          kind={panorama ? 'quiet' : 'main'}
          grow
          title={panorama ? 'Build again' : 'Build the panorama'}
          busy={build.isPending || busy}
          onPress={() => build.mutate(input)}
        />
      </Row>
    </View>
  );
}
