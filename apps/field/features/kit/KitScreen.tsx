import { useLocalSearchParams } from 'expo-router';
import { useState } from 'react';
import { Pressable, View } from 'react-native';
import type { KitImport } from '@tawny/contract';
import { base64Of, call, fileAddress } from '../../data/api';
import {
  useBodies,
  useFilters,
  useInstruments,
  useLenses,
  useObjects,
  useProduction,
  useProductionCode,
  useProductions,
  useRigs,
  useOperation,
  useRenew,
} from '../../data/queries';
import { Action } from '../../ui/Action';
import { Columns } from '../../ui/Columns';
import { Notice } from '../../ui/Notice';
import { pickFiles, saveFrom } from '../../ui/pickFiles';
import { Panel, Row } from '../../ui/Panel';
import { Text } from '../../ui/Text';
import { useTheme } from '../../ui/theme';
import { SPACE } from '../../ui/tokens';
import { Waiting } from '../shell/Waiting';
import { CurvesPanel } from './CurvesPanel';
import { KitForm } from './KitForm';
import { KIT, type KitItem, type KitKind } from './kitFields';

/** Bodies, lenses and rigs, with the curves of the cameras. */
const LEFT_KINDS = 3;

/** Everything that was brought along, by kind. */
export function KitScreen() {
  const production = useProduction();
  const lists: Record<string, { data?: readonly KitItem[]; error: Error | null }> = {
    bodies: useBodies(),
    lenses: useLenses(),
    rigs: useRigs(),
    filters: useFilters(),
    instruments: useInstruments(),
    objects: useObjects(),
  };
  const { add, kind: opened } = useLocalSearchParams<{ add?: string; kind?: string }>();
  const panelOf = (k: KitKind) =>
    lists[k.path].data ? (
      <KindPanel
        key={k.path}
        kind={k}
        items={lists[k.path].data!}
        startWith={opened === k.path ? (add ?? '') : undefined}
      />
    ) : (
      <Waiting key={k.path} error={lists[k.path].error} what={k.title.toLowerCase()} />
    );
  return (
    <View style={{ gap: SPACE(4) }}>
      <Text size="title" strong heading={1}>
        {`Kit of ${production.data?.title ?? 'the production'}`}
      </Text>
      <Columns
        left={
          <>
            {KIT.slice(0, LEFT_KINDS).map(panelOf)}
            <CurvesPanel />
          </>
        }
        right={KIT.slice(LEFT_KINDS).map(panelOf)}
      />
      <KitExchange />
    </View>
  );
}

function KindPanel({ kind, items, startWith }: { kind: KitKind; items: readonly KitItem[]; startWith?: string }) {
  const { palette } = useTheme();
  const [open, setOpen] = useState<KitItem | null>(startWith === undefined ? null : kind.fresh(startWith));
  return (
    <Panel title={kind.title} aside={<Action title={`Add ${kind.noun}`} onPress={() => setOpen(kind.fresh(''))} />}>
      {items.length === 0 && !open ? <Text tone="quietInk">{`None yet. Add one, or import a list below.`}</Text> : null}
      {open && !open.version ? <KitForm kind={kind} start={open} onClose={() => setOpen(null)} /> : null}
      {items.map((item) =>
        open?.id === item.id ? (
          <KitForm key={`${item.id}:${item.version}`} kind={kind} start={item} onClose={() => setOpen(null)} />
        ) : (
          <Pressable
            key={item.id}
            role="button"
            aria-label={`Change ${item.name}`}
            onPress={() => setOpen(item)}
            style={{
              minHeight: 48,
              justifyContent: 'center',
              borderTopWidth: 1,
              borderColor: palette.hairline,
              paddingTop: SPACE(2),
            }}
          >
            <Row style={{ justifyContent: 'space-between' }}>
              <Text strong>{item.name}</Text>
              <Text size="small" tone="quietInk">
                {item.serial}
              </Text>
            </Row>
            <Text size="small" tone="quietInk">
              {kind.line(item as never)}
            </Text>
          </Pressable>
        ),
      )}
    </Panel>
  );
}

function KitExchange() {
  const code = useProductionCode();
  const productions = useProductions();
  const [result, setResult] = useState<KitImport | null>(null);
  const [error, setError] = useState<string | null>(null);
  const renew = useRenew();
  const refresh = useOperation('kit.copy');
  const others = (productions.data ?? []).filter((p) => p.code !== code);
  const take = async (promise: Promise<KitImport>) => {
    try {
      setError(null);
      setResult(await promise);
    } catch (e) {
      setError((e as Error).message);
    }
  };
  const pick = async () => {
    const [file] = await pickFiles({ accept: '.json,.csv' });
    if (!file) return;
    const kind = KIT.find((k) => file.name.toLowerCase().includes(k.path))?.path;
    await take(
      call('kit.import', {
        params: { production: code },
        body: { fileName: file.name, kind, contentBase64: await base64Of(file), dryRun: false, acceptRest: true },
      }),
    );
    await renew('kit.import');
  };
  return (
    <Panel title="Kit in and out">
      <Row wrap>
        <Action title="All kit as JSON" onPress={() => saveFrom(fileAddress('kit.export', { production: code }))} />
        {KIT.map((k) => (
          <Action
            key={k.path}
            title={`${k.title} as CSV`}
            onPress={() => saveFrom(fileAddress('kit.csv', { production: code, kind: k.path }))}
          />
        ))}
        <Action title="Import JSON or CSV" onPress={() => void pick()} />
        {others.map((p) => (
          <Action
            key={p.code}
            title={`Copy from ${p.title}`}
            onPress={() =>
              refresh.mutate(
                { from: p.code },
                { onSuccess: (r) => setResult(r as KitImport), onError: (e) => setError(e.message) },
              )
            }
          />
        ))}
      </Row>
      {error ? <Notice state="lost" title="Nothing was imported" detail={error} /> : null}
      {result ? (
        <Notice
          state={result.rows.some((r) => r.faults.length > 0) ? 'doubtful' : 'complete'}
          title={`${result.imported} of ${result.rows.length} taken in`}
          detail={result.rows
            .filter((r) => r.faults.length > 0)
            .map((r) => `${r.label}: ${r.faults.map((f) => f.message).join(', ')}`)
            .join('. ')}
        />
      ) : null}
    </Panel>
  );
}
