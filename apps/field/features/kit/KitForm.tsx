import Input from '@rneui/themed/dist/Input';
import { useState } from 'react';
import { View } from 'react-native';
import type {
  CameraBody,
  FilterRecord,
  LensRecord,
  PanoramaRig,
  PictureDecoding,
  RecordingFormat,
} from '@tawny/contract';
import { cropFactor } from '@tawny/core/camera/depthOfField';
import { ApiError } from '../../data/api';
import { useRemove, useSave } from '../../data/queries';
import { Action } from '../../ui/Action';
import { Choice } from '../../ui/Choice';
import { Notice } from '../../ui/Notice';
import { NotRemoved } from '../../ui/NotRemoved';
import { Row } from '../../ui/Panel';
import { RecordForm } from '../../ui/RecordForm';
import { Stepper } from '../../ui/Stepper';
import { Text } from '../../ui/Text';
import { useTheme } from '../../ui/theme';
import { RADIUS, SPACE } from '../../ui/tokens';
import { DecodingForm } from '../decodings/DecodingForm';
import type { KitItem, KitKind } from './kitFields';
import { EntrancePupil, LensReach, MeasuredDensity, RigParts, SolvedDistortion } from './KitTables';
import { RigGlare } from './RigGlare';

/** One piece of kit, open to be changed. */
export function KitForm({ kind, start, onClose }: { kind: KitKind; start: KitItem; onClose: () => void }) {
  const { palette } = useTheme();
  const [item, setItem] = useState(start);
  const [unstated, setUnstated] = useState(start.version ? [] : kind.unstated);
  const save = useSave<KitItem>(kind.path);
  const removal = useRemove(kind.path);
  const cleaned = Object.fromEntries(
    Object.entries(item).map(([k, v]) => [k, (k === 'measuredOn' || k === 'calibratedOn') && v === '' ? null : v]),
  ) as unknown as KitItem;
  const shape = kind.input.safeParse(cleaned);
  const issues = shape.success ? [] : shape.error.issues;
  const fault = (name: string) =>
    issues.find((i) => i.path[0] === name)?.message ??
    (save.error instanceof ApiError ? save.error.field(name) : undefined);
  const state = (names: readonly string[]) => setUnstated((open) => open.filter((n) => !names.includes(n)));
  const change = (part: Partial<KitItem>) => {
    state(Object.keys(part));
    setItem((i) => ({ ...i, ...part }));
  };
  return (
    <View
      style={{ borderWidth: 1, borderColor: palette.tawny, borderRadius: RADIUS, padding: SPACE(3), gap: SPACE(3) }}
    >
      <RecordForm
        fields={kind.fields as never}
        value={item as never}
        onChange={change}
        fault={fault}
        unstated={unstated}
      />
      {kind.path === 'lenses' ? <EntrancePupil lens={item as LensRecord} onChange={change} /> : null}
      {kind.path === 'lenses' ? <SolvedDistortion lens={item as LensRecord} onChange={change} /> : null}
      {kind.path === 'lenses' && unstated.length === 0 ? <LensReach lens={item as LensRecord} /> : null}
      {kind.path === 'filters' ? <MeasuredDensity filter={item as FilterRecord} onChange={change} /> : null}
      {kind.path === 'rigs' ? <RigParts rig={item as PanoramaRig} onChange={change} /> : null}
      {kind.path === 'rigs' && start.version ? <RigGlare rig={start as PanoramaRig} /> : null}
      {kind.path === 'bodies' ? (
        <Formats body={item as CameraBody} onChange={change} unstated={unstated} onState={(name) => state([name])} />
      ) : null}
      {issues
        .filter((i) => i.path.length > 1)
        .slice(0, 3)
        .map((i) => (
          <Text key={i.path.join()} size="small" tone="madder">
            {i.message}
          </Text>
        ))}
      {unstated.length > 0 ? (
        <Text
          size="small"
          tone="quietInk"
        >{`To be stated before it can be saved: ${unstated.length} of its figures.`}</Text>
      ) : null}
      {save.error ? <Notice state="lost" title="Not saved" detail={save.error.message} /> : null}
      <NotRemoved error={removal.error} />
      <Row wrap>
        <Action
          kind="main"
          title="Save"
          disabled={!shape.success || unstated.length > 0}
          busy={save.isPending}
          onPress={() => save.mutate({ record: cleaned }, { onSuccess: onClose })}
        />
        <Action title="Close" onPress={onClose} />
        {start.version ? (
          <Action
            title="Remove"
            onPress={() => removal.remove({ id: start.id, version: start.version! }, { onSuccess: onClose })}
          />
        ) : null}
      </Row>
    </View>
  );
}

/** What the code values of a format's files mean where they do not say it themselves. */
function FormatDecoding({
  format: { name, decoding },
  onChange,
}: {
  format: RecordingFormat;
  onChange: (decoding: PictureDecoding | null) => void;
}) {
  const [stated, setStated] = useState(decoding !== null);
  return (
    <View style={{ gap: SPACE(2) }}>
      <Choice
        label={`Code values of ${name}`}
        options={[
          { value: 'no', title: 'Code values: not stated' },
          { value: 'yes', title: 'Stated' },
        ]}
        value={stated ? 'yes' : 'no'}
        onChange={(v) => {
          setStated(v === 'yes');
          if (v === 'no') onChange(null);
        }}
      />
      {stated ? <DecodingForm value={decoding} onChange={onChange} /> : null}
    </View>
  );
}

/** Recording formats of a body: window, pixels, squeeze. */
function Formats({
  body,
  onChange,
  unstated,
  onState,
}: {
  body: CameraBody;
  onChange: (part: Partial<CameraBody>) => void;
  /** Numbers of the first that nobody has said yet, as `formats.NAME`. */
  unstated: readonly string[];
  onState: (name: string) => void;
}) {
  /** What is not said yet cannot be copied either. */
  const open = unstated.some((name) => name.startsWith('formats.'));
  const set = (index: number, part: Partial<RecordingFormat>) =>
    onChange({ formats: body.formats.map((f, i) => (i === index ? { ...f, ...part } : f)) });
  const cell = (
    i: number,
    f: RecordingFormat,
    field: Exclude<keyof RecordingFormat, 'name' | 'decoding'>,
    label: string,
    unit: string,
    step: number,
  ) => (
    <Stepper
      label={label}
      unit={unit}
      value={f[field]}
      step={step}
      digits={3}
      unstated={i === 0 && unstated.includes(`formats.${field}`)}
      onChange={(v) => {
        if (i === 0) onState(`formats.${field}`);
        set(i, { [field]: v });
      }}
    />
  );
  return (
    <View style={{ gap: SPACE(3) }}>
      {body.formats.map((f, i) => (
        <View key={i} style={{ gap: SPACE(2) }}>
          <Input
            label={`Recording format ${i + 1} · crop ${(i > 0 || !open) && f.gateWidthMm > 0 && f.gateHeightMm > 0 ? cropFactor(f.gateWidthMm, f.gateHeightMm).toFixed(2) : '–'} ×`}
            accessibilityLabel={`Recording format ${i + 1}`}
            value={f.name}
            onChangeText={(name) => set(i, { name })}
            renderErrorMessage={false}
          />
          <Row wrap style={{ alignItems: 'flex-start' }}>
            {cell(i, f, 'gateWidthMm', 'Window width', 'mm', 0.1)}
            {cell(i, f, 'gateHeightMm', 'Window height', 'mm', 0.1)}
            {cell(i, f, 'widthPx', 'Recorded width', 'px', 2)}
            {cell(i, f, 'heightPx', 'Recorded height', 'px', 2)}
            {cell(i, f, 'maxFps', 'Runs to', 'fps', 1)}
            {cell(i, f, 'squeeze', 'Squeeze', '×', 0.1)}
            {cell(i, f, 'circleOfConfusionMm', 'Circle of confusion', 'mm', 0.001)}
          </Row>
          <FormatDecoding format={f} onChange={(decoding) => set(i, { decoding })} />
          {body.formats.length > 1 ? (
            <Row>
              <Action
                title={`Without ${f.name}`}
                onPress={() => onChange({ formats: body.formats.filter((_, k) => k !== i) })}
              />
            </Row>
          ) : null}
        </View>
      ))}
      <Row>
        <Action
          title="Another format"
          disabled={open}
          onPress={() =>
            onChange({
              formats: [
                ...body.formats,
                { ...body.formats[body.formats.length - 1], name: `Format ${body.formats.length + 1}` },
              ],
            })
          }
        />
      </Row>
    </View>
  );
}
