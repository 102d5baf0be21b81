import { useState } from 'react';
import { View } from 'react-native';
import type { ImportResult, ShootDay, Setup } from '@tawny/contract';
import { ApiError, base64Of, fileAddress } from '../../data/api';
import { useProductionCode, useOperation } from '../../data/queries';
import { useSetup } from '../../data/setup';
import { Action } from '../../ui/Action';
import { Choice } from '../../ui/Choice';
import { Notice } from '../../ui/Notice';
import { pickFiles, saveFrom } from '../../ui/pickFiles';
import { Panel, Row } from '../../ui/Panel';
import { StateShape } from '../../ui/StateMark';
import { Figure, Text } from '../../ui/Text';
import { SPACE } from '../../ui/tokens';
import { SetupBar } from '../shell/SetupBar';
import { Waiting } from '../shell/Waiting';

const DELIMITER_NAMES: Record<string, string> = { ',': 'comma', ';': 'semicolon', '\t': 'tab', '|': 'bar' };

/** Takes in from a table, out as CSV, JSON and a camera report. */
export function ExchangeScreen() {
  const { setup, day, setups, error, choose } = useSetup();
  if (!setup || !day) return <Waiting error={error} what="the setup" />;
  return (
    <View style={{ gap: SPACE(4) }}>
      <SetupBar setups={setups} chosen={setup.id} onChoose={choose} />
      <Text size="title" strong heading={1}>
        Import and export
      </Text>
      <ExportPanel day={day} />
      <ImportPanel key={setup.id} setup={setup} />
    </View>
  );
}

function ExportPanel({ day }: { day: ShootDay }) {
  const code = useProductionCode();
  const save = (name: 'days.takesCsv' | 'days.takesJson' | 'days.report') =>
    saveFrom(fileAddress(name, { production: code, id: day.id }));
  return (
    <Panel title={`Day ${day.number}, out`}>
      <Row wrap>
        <Action title="Takes as CSV" onPress={() => save('days.takesCsv')} />
        <Action title="Takes as JSON" onPress={() => save('days.takesJson')} />
        <Action title="Camera report (PDF)" onPress={() => save('days.report')} />
      </Row>
      <Text size="small" tone="quietInk">
        Every take of every setup of the day, with the sun at that take.
      </Text>
    </Panel>
  );
}

/** Nothing is stored until somebody has seen row by row what would be. */
function ImportPanel({ setup }: { setup: Setup }) {
  const [file, setFile] = useState<{ name: string; content: string } | null>(null);
  const [preview, setPreview] = useState<ImportResult | null>(null);
  const [done, setDone] = useState<number | null>(null);
  const send = useOperation('takes.import');
  const look = (name: string, content: string, mapping?: Record<string, string>) =>
    send.mutate(
      { setupId: setup.id, fileName: name, contentBase64: content, mapping, dryRun: true },
      { onSuccess: setPreview },
    );
  const pick = async () => {
    const [picked] = await pickFiles({ accept: '.csv,.tsv,.txt,.json' });
    if (!picked) return;
    const content = await base64Of(picked);
    setFile({ name: picked.name, content });
    setPreview(null);
    setDone(null);
    look(picked.name, content);
  };
  const wrong = preview?.rows.filter((r) => r.faults.length > 0) ?? [];
  const good = (preview?.rows.length ?? 0) - wrong.length;
  const store = () =>
    send.mutate(
      {
        setupId: setup.id,
        fileName: file!.name,
        contentBase64: file!.content,
        mapping: preview!.mapping,
        dryRun: false,
        acceptRest: wrong.length > 0,
      },
      {
        onSuccess: (r) => {
          setDone(r.imported);
          setPreview(null);
        },
      },
    );
  return (
    <Panel title={`Takes into ${setup.name}`}>
      <Row wrap>
        <Action
          kind={preview ? 'quiet' : 'main'}
          title="Choose a CSV or JSON file"
          onPress={() => void pick()}
          busy={send.isPending}
        />
      </Row>
      {send.error ? (
        <Notice
          state="lost"
          title="The file was not imported"
          detail={send.error instanceof ApiError ? send.error.message : 'Try again'}
        />
      ) : null}
      {done !== null ? <Notice state="complete" title={`${done} takes imported`} testID="import-done" /> : null}
      {preview && file ? (
        <View style={{ gap: SPACE(3) }}>
          <Text>{`${file.name}: ${preview.rows.length} rows${preview.delimiter ? `, columns separated by ${DELIMITER_NAMES[preview.delimiter] ?? preview.delimiter}` : ''}, ${preview.encoding}${preview.decimalComma ? ', decimal commas' : ''}. Nothing is stored yet.`}</Text>
          <Mapping preview={preview} onChange={(mapping) => look(file.name, file.content, mapping)} />
          <View role="list" aria-label="Rows" style={{ gap: SPACE(2) }}>
            {preview.rows.slice(0, 100).map((r) => (
              <Row key={r.row} gap={2} style={{ alignItems: 'flex-start' }}>
                <View style={{ paddingTop: 4 }}>
                  <StateShape state={r.faults.length === 0 ? 'complete' : 'lost'} />
                </View>
                <Figure value={`row ${r.row}`} size="body" />
                <Text style={{ flex: 1 }} tone={r.faults.length === 0 ? 'ink' : 'madder'}>
                  {r.faults.length === 0
                    ? `${r.label}: good`
                    : `${r.label || 'without slate'}: ${r.faults.map((f) => f.message).join('; ')}`}
                </Text>
              </Row>
            ))}
            {preview.rows.length > 100 ? (
              <Text tone="quietInk">{`and ${preview.rows.length - 100} rows more`}</Text>
            ) : null}
          </View>
          <Row wrap>
            <Action
              kind="main"
              disabled={good === 0}
              title={wrong.length === 0 ? `Import ${good} takes` : `Import ${good}, leave out ${wrong.length}`}
              onPress={store}
              busy={send.isPending}
            />
            <Action title="Leave it" onPress={() => setPreview(null)} />
          </Row>
        </View>
      ) : null}
    </Panel>
  );
}

function Mapping({
  preview,
  onChange,
}: {
  preview: ImportResult;
  onChange: (mapping: Record<string, string>) => void;
}) {
  const [field, setField] = useState<string | null>(null);
  const used = Object.entries(preview.mapping);
  const unused = preview.columns.filter((c) => c !== '' && !Object.values(preview.mapping).includes(c));
  return (
    <View style={{ gap: SPACE(2) }}>
      <Text size="small" tone="quietInk">
        Which column goes where; tap a field to change it
      </Text>
      <Choice
        label="Fields"
        options={used.map(([f, c]) => ({ value: f, title: `${f} ← ${c}` }))}
        value={field ?? ''}
        onChange={(f) => setField(f === field ? null : f)}
      />
      {unused.length > 0 ? <Text size="small" tone="ochre">{`Not used: ${unused.join(', ')}`}</Text> : null}
      {field ? (
        <Choice
          label={`Column for ${field}`}
          options={[
            { value: '', title: 'No column' },
            ...preview.columns.filter(Boolean).map((c) => ({ value: c, title: c })),
          ]}
          value={preview.mapping[field]}
          onChange={(c) => {
            const { [field]: _old, ...rest } = preview.mapping;
            setField(null);
            onChange(c === '' ? rest : { ...rest, [field]: c });
          }}
        />
      ) : null}
    </View>
  );
}
