import { useState } from 'react';
import { View } from 'react-native';
import { trueHeadingDeg } from '@tawny/core/orient/declination';
import { sighting } from '@tawny/core/orient/eyeLine';
import type { LampRecord, Location, Setup, Take } from '@tawny/contract';
import { lampInput } from '@tawny/contract/setRecords';
import { useLamps, useRemove, useSave } from '../../data/queries';
import { Action } from '../../ui/Action';
import { Notice } from '../../ui/Notice';
import { NotRemoved } from '../../ui/NotRemoved';
import { Panel, Row } from '../../ui/Panel';
import { RecordForm, type FieldSpec } from '../../ui/RecordForm';
import { StateMark } from '../../ui/StateMark';
import { Text } from '../../ui/Text';
import { Waiting } from '../shell/Waiting';

const title = (v: string) =>
  v
    .replace(/([A-Z])/g, ' $1')
    .toLowerCase()
    .replace(/^./, (c) => c.toUpperCase());
const options = (values: readonly string[]) => values.map((value) => ({ value, title: title(value) }));

const fields = (conditions: readonly string[]): FieldSpec<LampRecord>[] => [
  { kind: 'text', name: 'name', label: 'Name' },
  {
    kind: 'choice',
    name: 'kind',
    label: 'Kind',
    options: options(['fresnel', 'openFace', 'softbox', 'panel', 'tube', 'practical', 'bounce', 'window']),
  },
  { kind: 'choice', name: 'role', label: 'Role', options: options(['key', 'fill', 'back', 'practical']) },
  { kind: 'number', name: 'eastM', label: 'East of origin', unit: 'm', step: 0.1, start: 0, signed: true },
  { kind: 'number', name: 'northM', label: 'North of origin', unit: 'm', step: 0.1, start: 0, signed: true },
  { kind: 'number', name: 'heightM', label: 'Height', unit: 'm', step: 0.1, start: 2 },
  { kind: 'number', name: 'aimAzimuthDeg', label: 'Aim, azimuth', unit: '°', step: 5, digits: 0, start: 0 },
  { kind: 'number', name: 'aimElevationDeg', label: 'Aim, elevation', unit: '°', step: 5, digits: 0, start: -20 },
  { kind: 'number', name: 'beamDeg', label: 'Beam', unit: '°', step: 5, digits: 0, start: 60 },
  { kind: 'number', name: 'dimmerPercent', label: 'Dimmer', unit: '%', step: 5, digits: 0 },
  { kind: 'text', name: 'filter', label: 'Filter' },
  { kind: 'many', name: 'onIn', label: 'Burns in', options: conditions.map((c) => ({ value: c, title: c })) },
  {
    kind: 'choice',
    name: 'side',
    label: 'Side, as the camera sees it',
    options: options(['left', 'right', 'behind', 'ahead', 'above']),
    optional: true,
  },
];

/** Which side of the newest take's picture a lamp stands on; null when either is not placed. */
function sideOf(lamp: LampRecord, take: Take | undefined, location: Location): LampRecord['side'] {
  const heading = take ? trueHeadingDeg(take, location) : null;
  if (!take || heading === null || lamp.eastM === null || lamp.northM === null) return null;
  if (take.eastM === null || take.northM === null) return null;
  const s = sighting(
    { eastM: take.eastM, northM: take.northM, heightM: take.heightM ?? 1.5 },
    { eastM: lamp.eastM, northM: lamp.northM, heightM: lamp.heightM ?? 2 },
  );
  if (s.tiltDeg > 55) return 'above';
  const off = ((s.bearingDeg - heading + 540) % 360) - 180;
  return Math.abs(off) > 135 ? 'behind' : Math.abs(off) < 25 ? 'ahead' : off < 0 ? 'left' : 'right';
}

interface PanelProps {
  setup: Setup;
  location: Location;
  takes: readonly Take[];
  openId?: string;
}

/** The fixtures of the set. */
export function LampsPanel({ setup, location, takes, openId }: PanelProps) {
  const lamps = useLamps(setup.id);
  const removal = useRemove('lamps');
  const [open, setOpen] = useState<string | null>(openId ?? null);
  const [gone, setGone] = useState<string | null>(null);
  if (!lamps.data) return <Waiting error={lamps.error} what="the lamps" />;
  const conditions = [...new Set([setup.lightCondition, ...setup.lightConditions.map((c) => c.name)])];
  const fresh: LampRecord = {
    id: crypto.randomUUID(),
    setupId: setup.id,
    name: `Lamp ${lamps.data.length + 1}`,
    kind: 'fresnel',
    role: 'key',
    eastM: null,
    northM: null,
    heightM: null,
    aimAzimuthDeg: null,
    aimElevationDeg: null,
    beamDeg: null,
    filter: '',
    dimmerPercent: 100,
    onIn: [setup.lightCondition],
    side: null,
    version: 0,
    createdAt: '',
    updatedAt: '',
  };
  return (
    <View style={{ gap: 16 }}>
      <NotRemoved error={removal.error} />
      {gone ? (
        <Notice state="open" title="The lamp was removed">
          <Row>
            <Action title="Take it back" onPress={() => removal.restore(gone, { onSuccess: () => setGone(null) })} />
          </Row>
        </Notice>
      ) : null}
      {open === 'new' ? (
        <LampForm start={fresh} conditions={conditions} onClose={() => setOpen(null)} />
      ) : (
        <Row>
          <Action kind="main" grow title="Record a lamp" onPress={() => setOpen('new')} />
        </Row>
      )}
      {lamps.data.length === 0 ? (
        <Notice
          state="open"
          title="No lamp recorded"
          detail="A lamp that is not written down cannot be rebuilt: what it is, where it stands, where it points, how far it is dimmed."
        />
      ) : null}
      {lamps.data.map((l) =>
        open === l.id ? (
          <LampForm key={l.id} start={l} conditions={conditions} onClose={() => setOpen(null)} />
        ) : (
          <Panel
            key={l.id}
            title={l.name}
            aside={
              <StateMark
                state={l.eastM !== null && l.northM !== null && l.heightM !== null ? 'complete' : 'doubtful'}
                word={l.eastM !== null && l.northM !== null && l.heightM !== null ? 'Placed' : 'No position'}
              />
            }
          >
            <Text>{`${title(l.kind)}, ${l.role} · ${l.dimmerPercent} %${l.filter ? ` · ${l.filter}` : ''} · ${l.onIn.length > 0 ? `burns in ${l.onIn.join(', ')}` : 'burns in no condition'}`}</Text>
            <Text size="small" tone="quietInk">
              {`${l.eastM === null ? 'not placed' : `${l.eastM} E ${l.northM} N ${l.heightM ?? '?'} up, m`}${l.aimAzimuthDeg === null ? '' : ` · aims ${l.aimAzimuthDeg}° / ${l.aimElevationDeg ?? 0}°`}${l.beamDeg ? ` · beam ${l.beamDeg}°` : ''}${sideOf(l, takes[0], location) ? ` · ${sideOf(l, takes[0], location)} of camera ${takes[0].camera}` : ''}${l.side && sideOf(l, takes[0], location) && l.side !== sideOf(l, takes[0], location) ? ` (logged as ${l.side}: check)` : ''}`}
            </Text>
            <Row>
              <Action title="Change" onPress={() => setOpen(l.id)} />
              <Action title="Remove" onPress={() => removal.remove(l, { onSuccess: () => setGone(l.id) })} />
            </Row>
          </Panel>
        ),
      )}
    </View>
  );
}

function LampForm({
  start,
  conditions,
  onClose,
}: {
  start: LampRecord;
  conditions: readonly string[];
  onClose: () => void;
}) {
  const [lamp, setLamp] = useState(start);
  const save = useSave<LampRecord>('lamps');
  const shape = lampInput.safeParse(lamp);
  const fault = (name: string) =>
    shape.success ? undefined : shape.error.issues.find((i) => i.path[0] === name)?.message;
  return (
    <Panel title={start.version ? start.name : 'New lamp'}>
      <RecordForm
        fields={fields(conditions)}
        value={lamp}
        onChange={(part) => setLamp((l) => ({ ...l, ...part }))}
        fault={fault}
      />
      {save.error ? <Notice state="lost" title="The lamp was not saved" detail={save.error.message} /> : null}
      <Row>
        <Action
          kind="main"
          grow
          title="Save lamp"
          disabled={!shape.success}
          busy={save.isPending}
          onPress={() => save.mutate({ record: lamp }, { onSuccess: onClose })}
        />
        <Action title="Close" onPress={onClose} />
      </Row>
    </Panel>
  );
}
