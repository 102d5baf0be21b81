import Input from '@rneui/themed/dist/Input';
import { useState } from 'react';
import { View } from 'react-native';
import type { SurveySolution } from '@tawny/core';
import { cameraOfTake, viewAnglesDeg } from '@tawny/core/camera/plateCamera';
import { solvePlan } from '@tawny/core/geometry/survey';
import { trueHeadingDeg } from '@tawny/core/orient/declination';
import { parseLengthM } from '@tawny/core/photometry/units';
import { sunPosition } from '@tawny/core/sun/ephemeris';
import type { PlanMark, PlanMeasure } from '@tawny/contract';
import {
  useBodies,
  useLenses,
  useLamps,
  useMarks,
  useMeasures,
  useRemove,
  useSave,
  useStations,
  useTakes,
} from '../../data/queries';
import { useNewId } from '../../data/newId';
import { useSetup } from '../../data/setup';
import { nowOnDay } from '../../data/time';
import { Action } from '../../ui/Action';
import { Choice } from '../../ui/Choice';
import { Columns } from '../../ui/Columns';
import { Either } from '../../ui/Either';
import { Notice } from '../../ui/Notice';
import { NotRemoved } from '../../ui/NotRemoved';
import { Panel, Row } from '../../ui/Panel';
import { Stepper } from '../../ui/Stepper';
import { Figure, Text } from '../../ui/Text';
import { useTheme } from '../../ui/theme';
import { SPACE } from '../../ui/tokens';
import { SetupBar } from '../shell/SetupBar';
import { Waiting } from '../shell/Waiting';
import { PlanDrawing, type PlanItem } from './PlanDrawing';

/** The set from above: marks from tape, laser and bearings, solved and shown with their uncertainty; lamps, stations and cameras beside them. */
export function PlanScreen() {
  const { setup, day, location, setups, error, choose } = useSetup();
  const marks = useMarks(setup?.id);
  const measures = useMeasures(setup?.id);
  const lamps = useLamps(setup?.id);
  const stations = useStations(setup?.id);
  const takes = useTakes(setup?.id);
  const bodies = useBodies();
  const lenses = useLenses();
  const [open, setOpen] = useState<PlanMark | null>(null);
  if (
    !setup ||
    !day ||
    !location ||
    !marks.data ||
    !measures.data ||
    !lamps.data ||
    !stations.data ||
    !takes.data ||
    !bodies.data ||
    !lenses.data
  )
    return <Waiting error={error ?? marks.error ?? measures.error ?? lamps.error} what="the plan" />;
  const solved = solvePlan(marks.data, measures.data);
  const cameras = [...new Map([...takes.data].reverse().map((t) => [t.camera, t])).values()];
  const items: PlanItem[] = [
    ...marks.data.map((m): PlanItem => {
      const s = 'marks' in solved ? solved.marks.find((x) => x.id === m.id) : undefined;
      return {
        id: m.id,
        name: m.name,
        kind: m.kind,
        eastM: s?.eastM ?? m.eastM,
        northM: s?.northM ?? m.northM,
        ellipse: s?.ellipse ?? null,
      };
    }),
    // A station that is also a mark is drawn once, where the measures put it.
    ...stations.data
      .filter((s) => !marks.data.some((m) => m.kind === 'station' && m.name === s.name))
      .map((s): PlanItem => ({
        id: s.id,
        name: s.name,
        kind: 'station',
        eastM: s.eastM,
        northM: s.northM,
        ellipse: null,
      })),
    ...lamps.data
      .filter((l) => l.eastM !== null && l.northM !== null)
      .map((l): PlanItem => ({
        id: l.id,
        name: l.name,
        kind: 'lamp',
        eastM: l.eastM!,
        northM: l.northM!,
        ellipse: null,
      })),
    ...cameras.flatMap((t): PlanItem[] => {
      if (t.eastM === null || t.northM === null) return [];
      const heading = trueHeadingDeg(t, location);
      const camera = cameraOfTake(
        t,
        bodies.data.find((b) => b.id === t.bodyId),
        lenses.data.find((l) => l.id === t.lensId),
        location,
      );
      const item: PlanItem = {
        id: t.id,
        name: `Camera ${t.camera}, take ${t.take}`,
        kind: 'camera',
        eastM: t.eastM,
        northM: t.northM,
        ellipse: null,
        wedge: heading === null || !camera ? undefined : { headingDeg: heading, fovDeg: viewAnglesDeg(camera).across },
      };
      return [item];
    }),
    ...(setup.cgEastM !== null && setup.cgNorthM !== null
      ? [{ id: 'cg', name: 'CG', kind: 'cg' as const, eastM: setup.cgEastM, northM: setup.cgNorthM, ellipse: null }]
      : []),
  ];
  const sun = sunPosition(location, new Date(setup.lightAt ?? takes.data[0]?.shotAt ?? nowOnDay(day, location.zone)));
  return (
    <View style={{ gap: SPACE(4) }}>
      <SetupBar setups={setups} chosen={setup.id} onChoose={choose} />
      <Text size="title" strong heading={1}>
        {`Plan of ${setup.name}`}
      </Text>
      <Columns
        shares={[3, 2]}
        left={<PlanDrawing items={items} measures={measures.data} sun={sun.elevationDeg > -1 ? sun : null} />}
        right={
          <>
            {'fault' in solved ? (
              <Notice state="lost" title="The marks cannot be solved" detail={solved.fault} />
            ) : (
              <Solution solved={solved} marks={marks.data} measures={measures.data} onOpen={setOpen} />
            )}
            {open ? <MarkForm key={open.id} start={open} onClose={() => setOpen(null)} /> : null}
            <AddMeasure
              setupId={setup.id}
              marks={marks.data}
              onMark={() =>
                setOpen({
                  id: crypto.randomUUID(),
                  setupId: setup.id,
                  name: `Mark ${marks.data.length + 1}`,
                  kind: 'mark',
                  fixed: marks.data.length === 0,
                  eastM: 0,
                  northM: 0,
                  version: 0,
                  createdAt: '',
                  updatedAt: '',
                })
              }
            />
          </>
        }
      />
    </View>
  );
}

function Solution({
  solved,
  marks,
  measures,
  onOpen,
}: {
  solved: SurveySolution;
  marks: readonly PlanMark[];
  measures: readonly PlanMeasure[];
  onOpen: (m: PlanMark) => void;
}) {
  const removal = useRemove('measures');
  const nameOf = (id: string) => marks.find((m) => m.id === id)?.name ?? '?';
  const worst = Math.max(0, ...solved.residuals.map((r) => Math.abs(r.sigmas)));
  return (
    <Panel title="Marks">
      {marks.length === 0 ? (
        <Text tone="quietInk">No mark yet. Make one where the origin is and hold it, then measure to the others.</Text>
      ) : null}
      {solved.marks.map((s) => {
        const mark = marks.find((m) => m.id === s.id)!;
        return (
          <Row key={s.id} wrap style={{ justifyContent: 'space-between' }}>
            <View>
              <Text strong>{mark.name}</Text>
              <Figure
                value={`${s.eastM.toFixed(2)} E  ${s.northM.toFixed(2)} N`}
                unit="m"
                size="body"
                plusMinus={s.ellipse && s.ellipse.majorM > 0 ? `${s.ellipse.majorM.toFixed(2)} m` : undefined}
              />
              {mark.fixed ? (
                <Text size="small" tone="quietInk">
                  held
                </Text>
              ) : s.ellipse ? null : (
                <Text size="small" tone="ochre">
                  not tied: two measures place a mark
                </Text>
              )}
            </View>
            <Action title="Change" onPress={() => onOpen(mark)} />
          </Row>
        );
      })}
      {measures.map((m) => {
        const r = solved.residuals.find((x) => x.id === m.id);
        const unit = m.kind === 'distance' ? 'm' : '°';
        return (
          <Row key={m.id} wrap style={{ justifyContent: 'space-between' }}>
            <Text
              size="small"
              tone={r && Math.abs(r.sigmas) > 3 ? 'madder' : 'quietInk'}
              style={{ flexShrink: 1 }}
            >{`${nameOf(m.fromMarkId)} to ${nameOf(m.toMarkId)}: ${m.value} ${unit} ± ${m.sigma} ${unit}, off by ${r ? r.residual.toFixed(m.kind === 'distance' ? 3 : 2) : '?'} ${unit}`}</Text>
            <Action title="Remove" onPress={() => removal.remove(m)} />
          </Row>
        );
      })}
      <NotRemoved error={removal.error} />
      <Text size="small" tone={worst > 3 ? 'madder' : 'quietInk'} testID="plan-fit">
        {solved.sigmaZero === null
          ? 'No measure to spare: nothing checks the marks yet.'
          : `${solved.surplus} to spare; they fit at ${solved.sigmaZero.toFixed(2)} × their stated uncertainty${worst > 3 ? '. One is far off: measure it again' : ''}.`}
      </Text>
    </Panel>
  );
}

const MARK_KINDS = [
  { value: 'mark', title: 'Mark' },
  { value: 'station', title: 'Station' },
  { value: 'camera', title: 'Camera' },
  { value: 'lamp', title: 'Lamp' },
  { value: 'cg', title: 'CG' },
] as const;

function MarkForm({ start, onClose }: { start: PlanMark; onClose: () => void }) {
  const [mark, setMark] = useState(start);
  const save = useSave<PlanMark>('marks');
  const removal = useRemove('marks');
  return (
    <Panel title={start.version ? start.name : 'New mark'}>
      <Input
        label="Name"
        accessibilityLabel="Mark name"
        value={mark.name}
        onChangeText={(name) => setMark({ ...mark, name })}
        renderErrorMessage={false}
      />
      <Choice
        label="Kind of mark"
        options={MARK_KINDS}
        value={mark.kind}
        onChange={(kind) => setMark({ ...mark, kind })}
      />
      <Row wrap style={{ alignItems: 'flex-start' }}>
        <Stepper
          label={mark.fixed ? 'East' : 'Roughly east'}
          signed
          unit="m"
          value={mark.eastM}
          step={0.5}
          onChange={(eastM) => setMark({ ...mark, eastM })}
        />
        <Stepper
          label={mark.fixed ? 'North' : 'Roughly north'}
          signed
          unit="m"
          value={mark.northM}
          step={0.5}
          onChange={(northM) => setMark({ ...mark, northM })}
        />
      </Row>
      <Either
        label="Position"
        yes="Hold it"
        no="From measures"
        noFirst
        value={mark.fixed}
        onChange={(v) => setMark({ ...mark, fixed: v })}
      />
      {save.error ? <Notice state="lost" title="The mark was not saved" detail={save.error.message} /> : null}
      <NotRemoved error={removal.error} />
      <Row wrap>
        <Action
          kind="main"
          title="Save mark"
          disabled={mark.name.trim() === ''}
          busy={save.isPending}
          onPress={() => save.mutate({ record: mark }, { onSuccess: onClose })}
        />
        <Action title="Close" onPress={onClose} />
        {start.version ? <Action title="Remove" onPress={() => removal.remove(start, { onSuccess: onClose })} /> : null}
      </Row>
    </Panel>
  );
}

const SIGMA = { distance: 0.02, bearing: 1.1 };

function AddMeasure({ setupId, marks, onMark }: { setupId: string; marks: readonly PlanMark[]; onMark: () => void }) {
  const { palette } = useTheme();
  const [kind, setKind] = useState<'distance' | 'bearing'>('distance');
  const [from, setFrom] = useState('');
  const [to, setTo] = useState('');
  const [text, setText] = useState('');
  const [fault, setFault] = useState<string | undefined>();
  const [id, renewId] = useNewId();
  const save = useSave<Partial<PlanMeasure> & { id: string; version?: number }>('measures');
  const a = marks.find((m) => m.id === from) ?? marks[0];
  const b = marks.find((m) => m.id === to) ?? marks.find((m) => m.id !== a?.id);
  const add = () => {
    try {
      const value = kind === 'distance' ? parseLengthM(text) : Number(text.replace(',', '.').replace('°', ''));
      if (!Number.isFinite(value)) throw new RangeError(`"${text}" is no bearing`);
      setFault(undefined);
      save.mutate(
        {
          record: {
            id,
            setupId,
            fromMarkId: a!.id,
            toMarkId: b!.id,
            kind,
            value,
            sigma: SIGMA[kind],
          },
        },
        {
          onSuccess: () => {
            renewId();
            setText('');
          },
        },
      );
    } catch (e) {
      setFault((e as Error).message);
    }
  };
  const names = marks.map((m) => ({ value: m.id, title: m.name }));
  return (
    <Panel title="Measure">
      <Row>
        <Action title="New mark" onPress={onMark} />
      </Row>
      {a && b ? (
        <>
          <Choice
            label="What is measured"
            options={[
              { value: 'distance', title: 'Distance' },
              { value: 'bearing', title: 'True bearing' },
            ]}
            value={kind}
            onChange={setKind}
          />
          <Text size="small" tone="quietInk">
            From
          </Text>
          <Choice label="From" options={names} value={a.id} onChange={setFrom} />
          <Text size="small" tone="quietInk">
            To
          </Text>
          <Choice label="To" options={names.filter((n) => n.value !== a.id)} value={b.id} onChange={setTo} />
          <Input
            label={kind === 'distance' ? 'Level distance: 4.95, 16\' 3"' : 'Degrees from true north'}
            accessibilityLabel="Measured value"
            value={text}
            onChangeText={setText}
            errorMessage={fault ?? save.error?.message}
            renderErrorMessage={Boolean(fault ?? save.error)}
            onSubmitEditing={add}
          />
          <Row>
            <Action
              kind="main"
              title={`Add, ± ${SIGMA[kind]} ${kind === 'distance' ? 'm' : '°'}`}
              disabled={text.trim() === ''}
              busy={save.isPending}
              onPress={add}
            />
          </Row>
        </>
      ) : (
        <Text style={{ color: palette.quietInk }}>Two marks make a measure.</Text>
      )}
    </Panel>
  );
}
