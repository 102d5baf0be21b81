import { useLocalSearchParams } from 'expo-router';
import { useState } from 'react';
import { picturesFirst } from '@tawny/contract/results';
import { View } from 'react-native';
import { solvePlan } from '@tawny/core/geometry/survey';
import {
  useBodies,
  useLenses,
  usePlateCamera,
  usePlates,
  useStations,
  useMarks,
  useMeasures,
  useTakes,
} from '../../data/queries';
import { useSetup } from '../../data/setup';
import { Choice } from '../../ui/Choice';
import { Notice } from '../../ui/Notice';
import { Panel } from '../../ui/Panel';
import { Text } from '../../ui/Text';
import { SPACE } from '../../ui/tokens';
import { SetupBar } from '../shell/SetupBar';
import { Waiting } from '../shell/Waiting';
import { TakeChoice } from '../measure/TakeChoice';
import { PlateCameraWork } from './PlateCameraWork';
import { surveyedFrom } from '../sight/surveyedFrom';

/** The camera of a plate from its own picture: what is loaded and chosen before anything is drawn. */
export function PlateCameraScreen() {
  const { setup, location, setups, error, choose } = useSetup();
  const asked = useLocalSearchParams<{ take?: string; plate?: string }>();
  const takes = useTakes(setup?.id);
  const bodies = useBodies();
  const lenses = useLenses();
  const stations = useStations(setup?.id);
  const marks = useMarks(setup?.id);
  const measures = useMeasures(setup?.id);
  const [takeId, setTakeId] = useState<string | null>(asked.take ?? null);
  const [plateId, setPlateId] = useState<string | null>(asked.plate ?? null);
  const take = takes.data?.find((t) => t.id === takeId) ?? takes.data?.[0];
  const plates = usePlates(take?.id);
  const carried = usePlateCamera(take?.id);
  const failed = error ?? takes.error ?? bodies.error ?? lenses.error ?? stations.error ?? marks.error ?? measures.error ?? plates.error ?? carried.error; // prettier-ignore
  const ready = takes.data && bodies.data && lenses.data && stations.data && marks.data && measures.data && (!take || (plates.data && carried.data)); // prettier-ignore
  if (!setup || !location || !ready) return <Waiting error={failed} what="the plate" />;
  const plate = plates.data?.find((p) => p.id === plateId) ?? picturesFirst(plates.data ?? [])[0];
  const plan = solvePlan(marks.data!, measures.data!);
  const surveyed = (heightM: number) =>
    take ? surveyedFrom({ ...take, heightM }, 'marks' in plan ? plan.marks : [], marks.data!, stations.data!) : [];
  return (
    <View style={{ gap: SPACE(4) }}>
      <SetupBar setups={setups} chosen={setup.id} onChoose={choose} />
      <Text size="title" strong heading={1}>{`Plate camera, ${setup.name}`}</Text>
      {take ? (
        <Panel>
          <TakeChoice label="Take" takes={takes.data!} value={take.id} onChange={setTakeId} />
          {(plates.data?.length ?? 0) > 1 ? (
            <Choice
              label="Plate"
              options={plates.data!.map((p) => ({ value: p.id, title: p.name }))}
              value={plate!.id}
              onChange={setPlateId}
            />
          ) : null}
        </Panel>
      ) : null}
      {take && plate ? (
        <PlateCameraWork
          key={plate.id}
          take={take}
          plate={plate}
          carried={carried.data?.camera ?? null}
          kit={{ bodies: bodies.data!, lenses: lenses.data! }}
          location={location}
          surveyed={surveyed}
        />
      ) : (
        <Notice
          state="open"
          title={take ? 'This take has no plate yet' : 'There is no take yet'}
          detail={
            take
              ? 'Photograph or bring one in under Measure; then its edges tell how the camera stood.'
              : 'Log a take; then bring in its plate under Measure.'
          }
        />
      )}
    </View>
  );
}
