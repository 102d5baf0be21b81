import { carriedCamera } from '@tawny/core/camera/plateCamera';
import { solvePlan } from '@tawny/core/geometry/survey';
import { useLocalSearchParams } from 'expo-router';
import { picturesFirst } from '@tawny/contract/results';
import { useMemo, useState } from 'react';
import { View } from 'react-native';
import {
  useBodies,
  useCalibration,
  useLenses,
  useMarks,
  useMeasures,
  usePlates,
  useReadings,
  useStations,
  useTakes,
} from '../../data/queries';
import { useSetup } from '../../data/setup';
import { Notice } from '../../ui/Notice';
import { Text } from '../../ui/Text';
import { SPACE } from '../../ui/tokens';
import { SetupBar } from '../shell/SetupBar';
import { Waiting } from '../shell/Waiting';
import { PanoramaPicker } from '../measure/PanoramaPicker';
import { useChosenPanorama } from '../measure/useChosenPanorama';
import { SightWork } from './SightWork';
import { surveyedFrom } from './surveyedFrom';

/** Plate and panorama of a setup seen through the plate's lens: what is loaded and chosen before anything is turned. */
export function SightScreen() {
  const { setup, location, setups, error, choose } = useSetup();
  const { take: wanted } = useLocalSearchParams<{ take?: string }>();
  const chosen = useChosenPanorama(setup);
  const takes = useTakes(setup?.id);
  const bodies = useBodies();
  const lenses = useLenses();
  const stations = useStations(setup?.id);
  const marks = useMarks(setup?.id);
  const measures = useMeasures(setup?.id);
  const readings = useReadings(setup?.id);
  const calibration = useCalibration(chosen.panorama?.id);
  const [takeId, setTakeId] = useState<string | null>(wanted ?? null);
  const take = takes.data?.find((t) => t.id === takeId) ?? takes.data?.[0];
  const plates = usePlates(take?.id);
  const failed =
    error ??
    chosen.error ??
    takes.error ??
    bodies.error ??
    lenses.error ??
    stations.error ??
    marks.error ??
    measures.error ??
    readings.error ??
    plates.error;
  const ready =
    chosen.ready &&
    takes.data &&
    bodies.data &&
    lenses.data &&
    stations.data &&
    marks.data &&
    measures.data &&
    readings.data &&
    (!take || plates.data);
  const surveyed = useMemo(() => {
    if (!take || !location || !marks.data || !measures.data || !stations.data) return [];
    const { heightM, headingDeg } = carriedCamera(take, location);
    // Where a camera of unknown heading has a mark nobody can tell.
    if (heightM === null || headingDeg === null) return [];
    const plan = solvePlan(marks.data, measures.data);
    return surveyedFrom({ ...take, heightM }, 'marks' in plan ? plan.marks : [], marks.data, stations.data);
  }, [take, location, marks.data, measures.data, stations.data]);
  if (!setup || !location || !ready) return <Waiting error={failed} what="the sight" />;
  const { panorama, round } = chosen;
  const station = stations.data!.find((s) => s.id === round?.stationId);
  const otherRounds = new Set(
    chosen.shot.flatMap((s) => (s.round.stationId === round?.stationId && s.round.id !== round.id ? [s.round.id] : [])),
  ).size;
  return (
    <View style={{ gap: SPACE(4) }}>
      <SetupBar setups={setups} chosen={setup.id} onChoose={choose} />
      <Text size="title" strong heading={1}>{`The sight, ${setup.name}`}</Text>
      <PanoramaPicker
        shot={chosen.shot}
        chosen={panorama?.id}
        zone={location.zone}
        onChoose={(id) => chosen.choose(id)}
      />
      {!panorama || !round || !station ? (
        <Notice
          state="open"
          title="There is no panorama to look at yet"
          detail="Photograph a round at a station and build it; then it is laid over the plate here."
        />
      ) : calibration.data === undefined ? (
        <Waiting error={calibration.error} what="the calibration" />
      ) : (
        <SightWork
          key={panorama.id}
          panorama={panorama}
          station={station}
          calibration={calibration.data}
          location={location}
          takes={takes.data!}
          take={take}
          plates={picturesFirst(plates.data ?? [])}
          kit={{ bodies: bodies.data!, lenses: lenses.data! }}
          otherRounds={otherRounds}
          set={{
            marks: marks.data!.filter((m) => m.kind === 'mark' || m.kind === 'lamp'),
            compass: readings.data!.filter((r) => r.kind === 'compass'),
            surveyed,
          }}
          onTake={setTakeId}
        />
      )}
    </View>
  );
}
