import Input from '@rneui/themed/dist/Input';
import { router, useLocalSearchParams } from 'expo-router';
import { DateTime } from 'luxon';
import { useState } from 'react';
import { View } from 'react-native';
import type { Need, Setup } from '@tawny/contract';
import { NEEDS_OF_KIND, SETUP_KINDS, setupInput } from '@tawny/contract/days';
import { NEEDS } from '@tawny/contract/needs';
import { ApiError } from '../../data/api';
import { useDays, useLocations, useProductionCode, useSave, useSetups } from '../../data/queries';
import { instantAt } from '@tawny/contract/dayHours';
import { Action } from '../../ui/Action';
import { Notice } from '../../ui/Notice';
import { Panel, Row } from '../../ui/Panel';
import { Many, RecordForm, type FieldSpec } from '../../ui/RecordForm';
import { Text } from '../../ui/Text';
import { SPACE } from '../../ui/tokens';
import { Waiting } from '../shell/Waiting';

const KIND_TITLES = {
  exterior: 'Exterior',
  interior: 'Interior',
  driving: 'Driving',
  greenScreen: 'Green screen',
} as const;

const FIELDS: FieldSpec<Setup>[] = [
  { kind: 'text', name: 'name', label: 'Name' },
  { kind: 'text', name: 'slate', label: 'Slate' },
  { kind: 'text', name: 'plannedCg', label: 'Planned CG' },
  { kind: 'number', name: 'cgEastM', label: 'CG east of origin', unit: 'm', step: 0.1, start: 0 },
  { kind: 'number', name: 'cgNorthM', label: 'CG north of origin', unit: 'm', step: 0.1, start: 0 },
  { kind: 'number', name: 'cgHeightM', label: 'CG height', unit: 'm', step: 0.1, start: 2 },
  { kind: 'number', name: 'driftLimitDeg', label: 'Sun drift limit', unit: '°', step: 0.5, digits: 1 },
  { kind: 'number', name: 'ageLimitMin', label: 'Age limit', unit: 'min', step: 5, digits: 0 },
  { kind: 'toggle', name: 'done', label: 'Setup is done: what it lacks is lost' },
];

/** A setup: what is planned, in which light, what data it needs. */
export function SetupScreen() {
  const { setup: id } = useLocalSearchParams<{ setup: string }>();
  const setups = useSetups();
  const days = useDays();
  const locations = useLocations();
  const found = setups.data?.find((s) => s.id === id);
  const day = days.data?.find((d) => d.id === found?.dayId);
  const zone = locations.data?.find((l) => l.id === day?.locationId)?.zone;
  if (!found || !day || !zone)
    return <Waiting error={setups.error ?? days.error ?? locations.error} what="the setup" />;
  return <SetupForm key={found.id} stored={found} date={day.date} zone={zone} />;
}

function SetupForm({ stored, date, zone }: { stored: Setup; date: string; zone: string }) {
  const code = useProductionCode();
  const [setup, setSetup] = useState(stored);
  const save = useSave<Setup>('setups');
  const change = (part: Partial<Setup>) => setSetup((s) => ({ ...s, ...part }));
  const shape = setupInput.safeParse(setup);
  const fault = (name: string) =>
    (shape.success ? undefined : shape.error.issues.find((i) => i.path[0] === name)?.message) ??
    (save.error instanceof ApiError ? save.error.field(name) : undefined);
  const submit = () =>
    save.mutate(
      { record: { ...setup, version: stored.version }, change: setup },
      { onSuccess: () => router.push(`/${code}/day?setup=${setup.id}`) },
    );
  return (
    <View style={{ gap: SPACE(4) }}>
      <Text size="title" strong heading={1}>
        {`Setup ${setup.slate}`}
      </Text>
      <Panel title="What and where">
        <RecordForm fields={FIELDS} value={setup} onChange={change} fault={fault} />
      </Panel>
      <Panel title="Light conditions">
        <Conditions setup={setup} date={date} zone={zone} onChange={change} />
      </Panel>
      <Panel title="Data it needs">
        <RecordForm<Setup>
          fields={[
            {
              kind: 'choice',
              name: 'kind',
              label: 'Kind of setup',
              options: SETUP_KINDS.map((k) => ({ value: k, title: KIND_TITLES[k] })),
            },
          ]}
          value={setup}
          onChange={change}
          fault={fault}
        />
        <Row>
          <Action
            title={`Use the ${KIND_TITLES[setup.kind].toLowerCase()} template`}
            onPress={() => change({ needs: [...NEEDS_OF_KIND[setup.kind]] })}
          />
        </Row>
        <Many
          label="Data needed"
          options={(Object.keys(NEEDS) as Need[]).map((n) => ({ value: n, title: NEEDS[n] }))}
          value={setup.needs}
          onChange={(needs) => change({ needs: needs as Need[] })}
        />
      </Panel>
      {save.error ? <Notice state="lost" title="The setup was not saved" detail={save.error.message} /> : null}
      <Row>
        <Action kind="main" grow title="Save setup" onPress={submit} busy={save.isPending} disabled={!shape.success} />
        <Action title="Back to the day" onPress={() => router.push(`/${code}/day?setup=${setup.id}`)} />
      </Row>
    </View>
  );
}

/** The setup's named lights; the current one is given to new takes and rounds. */
function Conditions({
  setup,
  date,
  zone,
  onChange,
}: {
  setup: Setup;
  date: string;
  zone: string;
  onChange: (part: Partial<Setup>) => void;
}) {
  const [name, setName] = useState('');
  const conditions =
    setup.lightConditions.length > 0 ? setup.lightConditions : [{ name: setup.lightCondition, from: null, to: null }];
  const set = (index: number, part: Partial<(typeof conditions)[number]>) =>
    onChange({ lightConditions: conditions.map((c, i) => (i === index ? { ...c, ...part } : c)) });
  const local = (at: string | null) => (at ? DateTime.fromISO(at, { zone }).toFormat('HH:mm') : '');
  const instant = (text: string) => (/^\d\d:\d\d$/.test(text) && instantAt(date, text, zone)?.toISOString()) || null;
  return (
    <View style={{ gap: SPACE(3) }}>
      {conditions.map((c, i) => (
        <Row key={c.name} wrap>
          <View style={{ flexBasis: 150, flexGrow: 1 }}>
            <Text strong>{c.name}</Text>
            {c.name === setup.lightCondition ? (
              <Text size="small" tone="tide">
                current
              </Text>
            ) : null}
          </View>
          {(['from', 'to'] as const).map((edge) => (
            <View key={edge} style={{ width: 96 }}>
              <TimeInput
                label={`${c.name} ${edge}`}
                value={local(c[edge])}
                onCommit={(text) => set(i, { [edge]: text === '' ? null : instant(text) })}
              />
            </View>
          ))}
          {c.name === setup.lightCondition ? null : (
            <Action
              title="Make current"
              onPress={() => onChange({ lightCondition: c.name, lightConditions: conditions })}
            />
          )}
        </Row>
      ))}
      <Row style={{ alignItems: 'flex-end' }}>
        <View style={{ flex: 1 }}>
          <Input
            label="Another light condition"
            accessibilityLabel="Another light condition"
            value={name}
            onChangeText={setName}
            renderErrorMessage={false}
          />
        </View>
        <Action
          title="Add"
          disabled={name.trim() === '' || conditions.some((c) => c.name === name.trim())}
          onPress={() => {
            onChange({ lightConditions: [...conditions, { name: name.trim(), from: null, to: null }] });
            setName('');
          }}
        />
      </Row>
    </View>
  );
}

function TimeInput({ label, value, onCommit }: { label: string; value: string; onCommit: (text: string) => void }) {
  const [text, setText] = useState(value);
  return (
    <Input
      label={label.split(' ').pop()}
      accessibilityLabel={label}
      placeholder="hh:mm"
      value={text}
      onChangeText={setText}
      onBlur={() => onCommit(text)}
      renderErrorMessage={false}
      inputMode="numeric"
    />
  );
}
