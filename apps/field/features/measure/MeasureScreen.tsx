import { router, useLocalSearchParams } from 'expo-router';
import { useRef } from 'react';
import { View } from 'react-native';
import type { Take } from '@tawny/contract';
import { trueHeadingDeg } from '@tawny/core/orient/declination';
import { useBodies, useCalibration, useProductionCode, useTakes } from '../../data/queries';
import { useSetup } from '../../data/setup';
import { Action } from '../../ui/Action';
import { Columns, placed } from '../../ui/Columns';
import { Notice } from '../../ui/Notice';
import { Panel, Row } from '../../ui/Panel';
import { RestsOn } from '../../ui/RestsOn';
import { PanoramaStrip } from '../../ui/panorama/PanoramaStrip';
import type { StripView } from '../../ui/panorama/stripView';
import { Text } from '../../ui/Text';
import { useWide } from '../../ui/theme';
import { SPACE } from '../../ui/tokens';
import { SetupBar } from '../shell/SetupBar';
import { Waiting } from '../shell/Waiting';
import { ColourCard } from './ColourCard';
import { ExposureCard } from './ExposureCard';
import { ExposuresPanel } from './ExposuresPanel';
import { OrientationCard } from './OrientationCard';
import { MeasuredBefore } from './MeasuredBefore';
import { PatchPanel } from './PatchPanel';
import { PanoramaPicker } from './PanoramaPicker';
import { useChosenPanorama } from './useChosenPanorama';
import { FIRST_CORNER, PATCH_NAMES, usePatchMarks, type PatchKind } from './usePatchMarks';

const MARKED: Record<PatchKind, string> = {
  card: 'Card marked.',
  chart: 'Chart marked.',
  region: 'Region marked.',
  surface: 'Marked.',
};

/** Exposure and orientation of a panorama of a setup. */
export function MeasureScreen() {
  const { setup, location, setups, error, choose } = useSetup();
  const code = useProductionCode();
  const asked = useLocalSearchParams<{ take?: string }>();
  const chosen = useChosenPanorama(setup);
  const calibration = useCalibration(chosen.panorama?.id);
  const takes = useTakes(setup?.id);
  const wide = useWide();
  const bodies = useBodies();
  const marks = usePatchMarks();
  const looking = useRef<StripView | null>(null);
  if (!setup || !location || !chosen.ready || !takes.data)
    return <Waiting error={error ?? chosen.error ?? takes.error} what="the panorama" />;
  const { panorama, round } = chosen;
  const head = (
    <>
      <SetupBar setups={setups} chosen={setup.id} onChoose={choose} />
      <Text size="title" strong heading={1}>{`Measure ${setup.name}`}</Text>
      <PanoramaPicker
        shot={chosen.shot}
        chosen={chosen.panorama?.id}
        zone={location.zone}
        onChoose={(id) => {
          marks.clear();
          chosen.choose(id);
        }}
      />
    </>
  );
  if (!panorama || !round) {
    return (
      <View style={{ gap: SPACE(4) }}>
        {head}
        <Notice
          state="open"
          title="There is no panorama to measure yet"
          detail="Photograph a round at a station and build it; then north and exposure are measured here."
        >
          <Row>
            <Action
              kind="main"
              title="Go to the rounds"
              onPress={() => router.push(`/${code}/round?setup=${setup.id}`)}
            />
          </Row>
        </Notice>
      </View>
    );
  }
  if (calibration.data === undefined) return <Waiting error={calibration.error} what="the calibration" />;
  const yaw = calibration.data?.orientation?.adopted.value ?? 0;
  const northKnown = calibration.data?.orientation?.frame === 'trueNorth';
  const facing = (take: Take): number | null => {
    const headingDeg = trueHeadingDeg(take, location);
    return northKnown && headingDeg !== null ? headingDeg - yaw : null;
  };
  const { marking } = marks;
  const shown = marking ?? (marks.marks.region ? 'region' : marks.marks.chart ? 'chart' : 'card');
  const stored = {
    card: calibration.data?.scale?.card,
    chart: calibration.data?.colour,
    region: null,
    surface: null,
  }[shown];
  const strip = (
    <Panel
      title={`${round.name}, ${round.lightCondition}`}
      style={marking ? ({ position: 'sticky', top: -1, zIndex: 2 } as object) : undefined}
    >
      <PanoramaStrip
        panorama={panorama}
        yawDeg={yaw}
        trueNorth={northKnown}
        height={wide ? 420 : 230}
        marking={marking && { what: PATCH_NAMES[marking], first: FIRST_CORNER[marking] }}
        mark={marks.marks[shown] ?? stored?.panoramaCorners ?? null}
        onMark={(corners) => marking && marks.set(marking, corners)}
        looking={looking}
        towards={marks.towards}
        start={{ azimuthDeg: (panorama.sun?.azimuthDeg ?? 180) + yaw, spanDeg: wide ? 160 : 110 }}
      />
      {marking ? (
        <Row wrap>
          {/* Held at the top it covers what comes next on a phone: marked, it gives way. */}
          <Action
            kind={marks.marks[marking] ? 'main' : 'quiet'}
            title={marks.marks[marking] ? 'On to the plate' : 'Turn the picture'}
            onPress={() => marks.mark(null)}
          />
          <Text size="small" tone="quietInk" style={{ flex: 1 }}>
            {marks.marks[marking] ? MARKED[marking] : `Drag a box over the ${PATCH_NAMES[marking]}.`}
          </Text>
        </Row>
      ) : null}
    </Panel>
  );
  const plate =
    takes.data.length === 0 ? (
      <Panel title="Plate">
        <Notice
          state="open"
          title="No take to calibrate to"
          detail="The plate's exposure comes from a take of this setup."
        >
          <Row>
            <Action
              kind="main"
              title="Log a take"
              onPress={() => router.push(`/${code}/log/new?setup=${setup.id}` as never)}
            />
          </Row>
        </Notice>
      </Panel>
    ) : (
      <PatchPanel
        key={panorama.id}
        panoramaId={panorama.id}
        takes={takes.data}
        asked={asked.take}
        lightCondition={round.lightCondition}
        {...{ marks, looking, facing }}
      />
    );
  const cards = (
    <>
      <ExposureCard panorama={panorama} calibration={calibration.data} />
      <ColourCard panorama={panorama} calibration={calibration.data} bodies={bodies.data ?? []} />
      <ExposuresPanel panoramaId={panorama.id} round={round} zone={location.zone} />
      {calibration.data ? <RestsOn basis={calibration.data.basis} again="Measure it again above." /> : null}
      {calibration.data ? <MeasuredBefore panorama={panorama} zone={location.zone} /> : null}
      <Row>
        <Action
          grow
          kind={calibration.data?.orientation && calibration.data.scale ? 'main' : 'quiet'}
          title="Go to the handoff"
          onPress={() => router.push(`/${code}/handoff?setup=${setup.id}&panorama=${panorama.id}`)}
        />
      </Row>
    </>
  );
  return (
    <View style={{ gap: SPACE(4) }}>
      {head}
      <Columns
        shares={[3, 2]}
        left={
          <>
            {strip}
            <View style={{ ...placed(2), gap: SPACE(4) }}>{plate}</View>
          </>
        }
        right={
          <>
            <View style={{ ...placed(1), gap: SPACE(4) }}>
              <OrientationCard
                round={round}
                panorama={panorama}
                calibration={calibration.data}
                location={location}
                setupId={setup.id}
              />
            </View>
            <View style={{ ...placed(3), gap: SPACE(4) }}>{cards}</View>
          </>
        }
      />
    </View>
  );
}
