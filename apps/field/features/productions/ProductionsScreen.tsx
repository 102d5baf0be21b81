import { Link, router } from 'expo-router';
import { useState } from 'react';
import { Pressable, ScrollView, View } from 'react-native';
import type { NewProduction, Production } from '@tawny/contract';
import { codeOf, productionInput } from '@tawny/contract/days';
import { useBeginProduction, useProductions } from '../../data/queries';
import { Action } from '../../ui/Action';
import { Choice } from '../../ui/Choice';
import { Notice } from '../../ui/Notice';
import { Panel, Row } from '../../ui/Panel';
import { faultIn, RecordForm, type FieldSpec } from '../../ui/RecordForm';
import { Text } from '../../ui/Text';
import { useTheme } from '../../ui/theme';
import { SPACE, TARGET } from '../../ui/tokens';
import { Waiting } from '../shell/Waiting';

const SPACES = [
  { value: 'acescg', title: 'ACEScg' },
  { value: 'rec709', title: 'Linear Rec. 709' },
] as const;
const FIELDS: FieldSpec<NewProduction>[] = [
  { kind: 'text', name: 'title', label: 'Title' },
  { kind: 'text', name: 'code', label: 'Code, for addresses and file names' },
  { kind: 'choice', name: 'workingSpace', label: 'Working space of panoramas and packages', options: SPACES },
];
const NONE = 'none';

/** The productions that there are, and the way to a new one. */
export function ProductionsScreen() {
  const { palette } = useTheme();
  const productions = useProductions();
  const some = (productions.data ?? []).length > 0;
  const [wanted, setWanted] = useState(false);
  return (
    <ScrollView
      style={{ flex: 1, backgroundColor: palette.ground }}
      contentContainerStyle={{ padding: SPACE(4), gap: SPACE(4), width: '100%', maxWidth: 720, alignSelf: 'center' }}
      role="main"
    >
      <Text size="title" strong heading={1}>
        Productions
      </Text>
      {productions.data ? (
        productions.data.map((p) => <ProductionRow key={p.id} production={p} />)
      ) : (
        <Waiting error={productions.error} what="the productions" />
      )}
      {productions.data && (wanted || !some) ? <BeginProduction others={productions.data} /> : null}
      {some && !wanted ? (
        <Row>
          <Action title="Begin a production" onPress={() => setWanted(true)} />
        </Row>
      ) : null}
    </ScrollView>
  );
}

function ProductionRow({ production }: { production: Production }) {
  const { palette } = useTheme();
  const space = SPACES.find((s) => s.value === production.workingSpace)!.title;
  return (
    <Link href={`/${production.code}/day` as never} asChild>
      <Pressable
        role="link"
        aria-label={production.title}
        style={{ minHeight: TARGET, paddingVertical: SPACE(3), borderBottomWidth: 1, borderColor: palette.hairline }}
      >
        <Text size="large" strong>
          {production.title}
        </Text>
        <Text size="small" tone="quietInk">{`${production.code} · works in ${space}`}</Text>
      </Pressable>
    </Link>
  );
}

function BeginProduction({ others }: { others: readonly Production[] }) {
  const [production, setProduction] = useState<NewProduction>(() => ({
    id: crypto.randomUUID(),
    title: '',
    code: '',
    workingSpace: 'acescg',
  }));
  const begin = useBeginProduction();
  const shape = productionInput.safeParse(production);
  const change = (part: Partial<NewProduction>) =>
    setProduction((old) => ({
      ...old,
      ...part,
      // The code follows the title until somebody writes one.
      ...(part.title !== undefined && old.code === codeOf(old.title) ? { code: codeOf(part.title) } : {}),
      ...(part.code !== undefined ? { code: part.code.toUpperCase() } : {}),
    }));
  const fault = (name: string) => {
    if (production[name as 'title' | 'code'] === '') return undefined;
    return begin.fault(name) ?? faultIn(shape, name);
  };
  return (
    <Panel title="Begin a production">
      <RecordForm fields={FIELDS} value={production} onChange={change} fault={fault} />
      <Text size="small" tone="quietInk">
        All results are made in the working space and labelled with it; it stays as it is once the production has begun.
      </Text>
      {others.length > 0 ? (
        <View style={{ gap: SPACE(1) }}>
          <Text size="small" tone="quietInk">
            Kit
          </Text>
          <Choice
            label="Kit"
            options={[
              { value: NONE, title: 'Begin with none' },
              ...others.map((o) => ({ value: o.code, title: `That of ${o.title}` })),
            ]}
            value={production.kitFrom ?? NONE}
            onChange={(v) => change({ kitFrom: v === NONE ? undefined : v })}
          />
        </View>
      ) : null}
      {begin.error && !begin.fault('code') ? (
        <Notice state="lost" title="The production was not begun" detail={begin.error.message} />
      ) : null}
      <Row>
        <Action
          kind="main"
          title="Begin"
          disabled={!shape.success}
          busy={begin.isPending}
          onPress={() => begin.mutate(production, { onSuccess: ({ code }) => router.replace(`/${code}/day` as never) })}
        />
      </Row>
    </Panel>
  );
}
