import { Input } from '@rneui/themed';
import { router } from 'expo-router';
import { useEffect, useState } from 'react';
import { View } from 'react-native';
import { nextTake, takeFaults, takeInput, type CameraBody, type LensRecord, type Location, type Setup, type Take, type TakeInput } from '@tawny/contract';
import { ApiError } from '../../data/api';
import { useBodies, useLenses, useProductionCode, useTakes, useWrite } from '../../data/queries';
import { useSetup } from '../../data/setup';
import { clock } from '../../data/time';
import { Action } from '../../ui/Action';
import { Choice } from '../../ui/Choice';
import { Notice } from '../../ui/Notice';
import { Panel, Row } from '../../ui/Panel';
import { Stepper } from '../../ui/Stepper';
import { Figure, Text } from '../../ui/Text';
import { SPACE } from '../../ui/tokens';
import { Waiting } from '../shell/Waiting';
import { clearDraft, loadDraft, saveDraft } from './draft';
import { EI, FOCAL_LENGTHS, FPS, ND, SHUTTER_ANGLES, T_STOPS, WHITE_BALANCES } from './scales';

export function NewTakeScreen() {
  const { setup, location, error } = useSetup();
  const takes = useTakes(setup?.id);
  const bodies = useBodies();
  const lenses = useLenses();
  if (!setup || !location || !takes.data || !bodies.data || !lenses.data) return <Waiting error={error ?? takes.error ?? bodies.error ?? lenses.error} what="the last take" />;
  if (bodies.data.length === 0 || lenses.data.length === 0) {
    return <Notice state="lost" title="The kit holds no camera or no lens" detail="A take needs a camera body and a lens of the kit." />;
  }
  return <TakeForm key={setup.id} setup={setup} location={location} last={takes.data[0]} bodies={bodies.data} lenses={lenses.data} />;
}

interface TakeFormProps {
  setup: Setup;
  location: Location;
  last: Take | undefined;
  bodies: CameraBody[];
  lenses: LensRecord[];
}

function firstTake(setup: Setup, body: CameraBody, lens: LensRecord, shotAt: string): TakeInput {
  return {
    id: crypto.randomUUID(), setupId: setup.id, slate: setup.slate, take: 1, camera: 'A', status: 'good', bodyId: body.id, formatName: body.formats[0].name, lensId: lens.id,
    focalLengthMm: lens.focalMinMm, tStop: Math.max(5.6, lens.tMin), ei: body.baseEi, shutterAngleDeg: 180, fps: 24, whiteBalanceK: 5600, ndStops: 0, heightM: 1.5, tiltDeg: 0,
    headingDeg: 0, focusM: null, eastM: 0, northM: 0, shotAt, notes: '',
  };
}

function copyOf(last: Take, shotAt: string): TakeInput {
  const { version: _v, createdAt: _c, updatedAt: _u, ...fields } = last;
  return nextTake(fields, crypto.randomUUID(), shotAt);
}

/** Time of a new take: now on the shoot day itself, else three minutes after the last. */
function takeTime(last: Take | undefined, setup: Setup): string {
  const now = new Date();
  const reference = last ? new Date(last.shotAt) : setup.lightAt ? new Date(setup.lightAt) : now;
  return Math.abs(now.getTime() - reference.getTime()) < 2 * 3600000 ? now.toISOString() : new Date(reference.getTime() + (last ? 180000 : 0)).toISOString();
}

/** The grid of value cells: a copy of the last take, changed cells marked with the old value beside. */
function TakeForm({ setup, location, last, bodies, lenses }: TakeFormProps) {
  const code = useProductionCode();
  const [take, setTake] = useState<TakeInput>(() => {
    const draft = loadDraft(setup.id);
    if (draft) return draft;
    return last ? copyOf(last, takeTime(last, setup)) : firstTake(setup, bodies[0], lenses[0], takeTime(undefined, setup));
  });
  const save = useWrite<TakeInput, Take>(() => '/takes');
  useEffect(() => saveDraft(setup.id, take), [setup.id, take]);
  const change = (part: Partial<TakeInput>) => setTake((t) => ({ ...t, ...part }));
  const body = bodies.find((b) => b.id === take.bodyId) ?? bodies[0];
  const lens = lenses.find((l) => l.id === take.lensId) ?? lenses[0];
  const shape = takeInput.safeParse(take);
  const faults = [...(shape.success ? [] : shape.error.issues.map((i) => ({ field: String(i.path[0]), message: i.message }))), ...takeFaults(take, body, lens)];
  const fault = (field: keyof TakeInput) => faults.find((f) => f.field === field)?.message ?? (save.error instanceof ApiError ? save.error.field(field) : undefined);
  const number = (field: keyof TakeInput & keyof Take, label: string, unit: string | undefined, extra: { scale?: readonly number[]; step?: number; digits?: number } = {}) => (
    <Stepper label={label} unit={unit} value={take[field] as number} was={last?.[field] as number | undefined} fault={fault(field)} onChange={(v) => change({ [field]: v })} {...extra} />
  );
  const submit = () =>
    save.mutate(take, {
      onSuccess: () => {
        clearDraft(setup.id);
        router.replace(`/${code}/log?setup=${setup.id}`);
      },
    });
  return (
    <View style={{ gap: SPACE(4) }}>
      <Row wrap style={{ justifyContent: 'space-between' }}>
        <View>
          <Text size="small" tone="quietInk">{`${setup.name} · ${clock(take.shotAt, location.zone)}`}</Text>
          <Figure value={`${take.slate} / ${take.take}`} unit={`camera ${take.camera}`} size="figure" />
        </View>
        {last ? <Text size="small" tone="quietInk">{`Copied from take ${last.take}`}</Text> : null}
      </Row>
      <Panel title="Exposure">
        <Row wrap>
          {number('tStop', 'Stop', 'T', { scale: T_STOPS })}
          {number('ei', 'EI', undefined, { scale: EI })}
          {number('shutterAngleDeg', 'Shutter', '°', { scale: SHUTTER_ANGLES })}
          {number('fps', 'Frame rate', 'fps', { scale: FPS, digits: 3 })}
          {number('ndStops', 'ND', 'stops', { scale: ND })}
          {number('whiteBalanceK', 'White balance', 'K', { scale: WHITE_BALANCES })}
        </Row>
      </Panel>
      <Panel title="Camera and lens">
        <Choice label="Camera body" options={bodies.map((b) => ({ value: b.id, title: b.name }))} value={take.bodyId} onChange={(bodyId) => change({ bodyId })} />
        <Choice label="Recording format" options={body.formats.map((f) => ({ value: f.name, title: f.name }))} value={take.formatName} onChange={(formatName) => change({ formatName })} />
        {fault('formatName') ? <Text tone="madder" size="small">{fault('formatName')!}</Text> : null}
        <Choice label="Lens" options={lenses.map((l) => ({ value: l.id, title: l.name }))} value={take.lensId} onChange={(lensId) => {
          const l = lenses.find((x) => x.id === lensId)!;
          change({ lensId, ...(l.focalMinMm === l.focalMaxMm ? { focalLengthMm: l.focalMinMm } : {}) });
        }} />
        <Row wrap>
          {number('focalLengthMm', 'Focal length', 'mm', { scale: FOCAL_LENGTHS, digits: 1 })}
          <Stepper label="Focus" unit="m" value={take.focusM ?? 0} was={last?.focusM ?? undefined} fault={fault('focusM')} step={0.1} onChange={(v) => change({ focusM: v > 0 ? v : null })} />
        </Row>
      </Panel>
      <Panel title="Where it stood">
        <Row wrap>
          {number('heightM', 'Lens height', 'm', { step: 0.05 })}
          {number('tiltDeg', 'Tilt', '°', { step: 0.5, digits: 1 })}
          {number('headingDeg', 'Heading, true', '°', { step: 1, digits: 1 })}
          {number('eastM', 'East of origin', 'm', { step: 0.1 })}
          {number('northM', 'North of origin', 'm', { step: 0.1 })}
        </Row>
      </Panel>
      <Panel title="Slate">
        <Row wrap>
          <View style={{ flexGrow: 1, flexBasis: 140 }}>
            <Input label="Slate" value={take.slate} errorMessage={fault('slate')} onChangeText={(slate) => change({ slate })} accessibilityLabel="Slate" renderErrorMessage={Boolean(fault('slate'))} />
          </View>
          {number('take', 'Take', undefined, { step: 1, digits: 0 })}
        </Row>
        <Choice label="Camera letter" options={['A', 'B', 'C'].map((c) => ({ value: c, title: `Camera ${c}` }))} value={take.camera} onChange={(camera) => change({ camera })} />
        <Choice
          label="Status"
          options={[{ value: 'good', title: 'Good' }, { value: 'circled', title: 'Circled' }, { value: 'ng', title: 'No good' }, { value: 'wild', title: 'Wild' }]}
          value={take.status}
          onChange={(status) => change({ status })}
        />
        <Input label="Notes" value={take.notes} onChangeText={(notes) => change({ notes })} accessibilityLabel="Notes" renderErrorMessage={false} />
      </Panel>
      {save.error ? <Notice state="lost" title="The take was not saved; it is kept here as a draft" detail={save.error.message} /> : null}
      {faults.length > 0 ? <Notice state="doubtful" title={faults.length === 1 ? 'One value cannot be right' : `${faults.length} values cannot be right`} detail={faults.map((f) => f.message).join('. ')} testID="take-faults" /> : null}
      <Row wrap>
        <Action kind="main" grow title={`Save take ${take.take}`} onPress={submit} busy={save.isPending} disabled={faults.length > 0} />
        <Action title="Discard" onPress={() => {
          clearDraft(setup.id);
          router.replace(`/${code}/log?setup=${setup.id}`);
        }} />
      </Row>
    </View>
  );
}
