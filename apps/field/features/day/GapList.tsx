import { router } from 'expo-router';
import { useState, type ReactNode } from 'react';
import { View } from 'react-native';
import type { Gap, Setup } from '@tawny/contract';
import { firstLostFirst } from '@tawny/contract/gapOrder';
import { useProductionCode } from '../../data/queries';
import { clock } from '../../data/time';
import { Action } from '../../ui/Action';
import { Notice } from '../../ui/Notice';
import { Row } from '../../ui/Panel';
import { StateShape } from '../../ui/StateMark';
import { Text } from '../../ui/Text';
import { useTheme } from '../../ui/theme';
import { RADIUS, SPACE } from '../../ui/tokens';

const SHOWN = 6;
const STATE = { now: 'lost', today: 'doubtful', later: 'open', gone: 'lost' } as const;

/** What went together, said once: of a setup, at a time. */
function wentTogether(gone: readonly Gap[]): [Gap, ...Gap[]][] {
  const groups = new Map<string, [Gap, ...Gap[]]>();
  for (const g of gone) {
    const group = groups.get(`${g.setupId}${g.lostAt}`);
    if (group) group.push(g);
    else groups.set(`${g.setupId}${g.lostAt}`, [g]);
  }
  return [...groups.values()];
}

/** Until when it can be done; a time that was only planned may have passed. */
function until(g: Gap, zone: string, now: Date): string {
  if (!g.lostAt) return 'Can be done any time';
  if (Date.parse(g.lostAt) <= now.getTime()) return `Overdue since ${clock(g.lostAt, zone)}`;
  return `${g.urgency === 'now' ? 'Now: lost' : 'Lost'} at ${clock(g.lostAt, zone)}`;
}

/** What is lost first stands first: the thing, why, until when, and the one button that does it. */
export function GapList({
  gaps,
  setups,
  zone,
  now = new Date(),
}: {
  gaps: readonly Gap[];
  setups: readonly Setup[];
  zone: string;
  now?: Date;
}) {
  const code = useProductionCode();
  const { palette } = useTheme();
  const [all, setAll] = useState(false);
  const sorted = firstLostFirst(gaps);
  const left = sorted.filter((g) => g.urgency !== 'gone');
  const gone = wentTogether(sorted.slice(left.length));
  const shown = all ? left : left.slice(0, SHOWN);
  const setupOf = (g: Gap) => setups.find((s) => s.id === g.setupId)?.name ?? '';
  return (
    <View style={{ gap: SPACE(3) }}>
      <Text size="large" strong heading={2}>
        {sorted.length === 0
          ? 'Gap list'
          : `Gap list: ${left.length} to do${gone.length === 0 ? '' : `, ${sorted.length - left.length} gone`}`}
      </Text>
      {sorted.length === 0 ? (
        <Notice state="complete" title="Nothing is missing" detail="Every setup of the day has what it needs." />
      ) : null}
      <View
        role="list"
        aria-label="Gap list"
        style={{
          backgroundColor: palette.raised,
          borderColor: palette.hairline,
          borderWidth: sorted.length > 0 ? 1 : 0,
          borderRadius: RADIUS,
        }}
      >
        {shown.map((g, i) => (
          <Item
            key={`${g.setupId}${g.rule}${g.what}`}
            first={i === 0}
            state={STATE[g.urgency]}
            what={`Lacks ${g.what}`}
            why={`${setupOf(g)} · ${g.reason}`}
            action={
              <Action
                kind={i === 0 ? 'main' : 'quiet'}
                title={g.action.title}
                onPress={() => router.push(`/${code}${g.action.path}` as never)}
              />
            }
          >
            <Text
              size="small"
              tone={g.urgency === 'now' ? 'madder' : g.urgency === 'today' ? 'ochre' : 'quietInk'}
              strong={g.urgency !== 'later'}
            >
              {until(g, zone, now)}
            </Text>
          </Item>
        ))}
        {gone.map((together, i) => (
          <Item
            key={`${together[0].setupId}${together[0].lostAt}`}
            first={shown.length + i === 0}
            state={STATE.gone}
            what={`Gone: ${together.map((g) => g.what).join(', ')}`}
            why={`${setupOf(together[0])} · the light went at ${clock(together[0].lostAt!, zone)}; what was shot all the same can still be added`}
          />
        ))}
      </View>
      {left.length > SHOWN ? (
        <Row>
          <Action title={all ? 'Show the first only' : `Show all ${left.length}`} onPress={() => setAll(!all)} />
        </Row>
      ) : null}
    </View>
  );
}

/** A line of the list: a mark, what it is and why, and the one button for it. */
function Item({
  first,
  state,
  what,
  why,
  action,
  children,
}: {
  first: boolean;
  state: (typeof STATE)[Gap['urgency']];
  what: string;
  why: string;
  action?: ReactNode;
  children?: ReactNode;
}) {
  const { palette } = useTheme();
  return (
    <View
      role="listitem"
      style={{
        padding: SPACE(3),
        gap: SPACE(2),
        borderTopWidth: first ? 0 : 1,
        borderColor: palette.hairline,
        flexDirection: 'row',
        flexWrap: 'wrap',
        alignItems: 'center',
        justifyContent: 'space-between',
      }}
    >
      <Row gap={2} style={{ alignItems: 'flex-start', flexGrow: 1, flexShrink: 1, flexBasis: 220 }}>
        <View style={{ paddingTop: 4 }}>
          <StateShape state={state} />
        </View>
        <View style={{ flex: 1 }}>
          <Text strong>{what}</Text>
          <Text size="small" tone="quietInk">
            {why}
          </Text>
          {children}
        </View>
      </Row>
      {action}
    </View>
  );
}
