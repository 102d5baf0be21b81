import { router } from 'expo-router';
import { useState } from 'react';
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

function until({ urgency, lostAt }: Gap, zone: string): string {
  if (lostAt === null) return 'Can be done any time';
  const said = { now: 'Now: lost at', today: 'Lost at', later: 'Lost at', gone: 'Its light went at' }[urgency];
  return `${said} ${clock(lostAt, zone)}`;
}

/** What is lost first stands first: the thing, why, until when, and the one button that does it. */
export function GapList({ gaps, setups, zone }: { gaps: readonly Gap[]; setups: readonly Setup[]; zone: string }) {
  const code = useProductionCode();
  const { palette } = useTheme();
  const [all, setAll] = useState(false);
  const sorted = firstLostFirst(gaps);
  const gone = gaps.filter((g) => g.urgency === 'gone').length;
  const shown = all ? sorted : sorted.slice(0, SHOWN);
  return (
    <View style={{ gap: SPACE(3) }}>
      <Text size="large" strong heading={2}>
        {sorted.length === 0
          ? 'Gap list'
          : `Gap list: ${sorted.length - gone} to do${gone === 0 ? '' : `, ${gone} gone`}`}
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
          <View
            key={`${g.setupId}${g.rule}${g.what}`}
            role="listitem"
            style={{
              padding: SPACE(3),
              gap: SPACE(2),
              borderTopWidth: i === 0 ? 0 : 1,
              borderColor: palette.hairline,
              flexDirection: 'row',
              flexWrap: 'wrap',
              alignItems: 'center',
              justifyContent: 'space-between',
            }}
          >
            <Row gap={2} style={{ alignItems: 'flex-start', flexGrow: 1, flexShrink: 1, flexBasis: 220 }}>
              <View style={{ paddingTop: 4 }}>
                <StateShape state={STATE[g.urgency]} />
              </View>
              <View style={{ flex: 1 }}>
                <Text strong>{`Lacks ${g.what}`}</Text>
                <Text
                  size="small"
                  tone="quietInk"
                >{`${setups.find((s) => s.id === g.setupId)?.name ?? ''} · ${g.reason}`}</Text>
                <Text
                  size="small"
                  tone={g.urgency === 'now' ? 'madder' : g.urgency === 'today' ? 'ochre' : 'quietInk'}
                  strong={g.urgency === 'now' || g.urgency === 'today'}
                >
                  {until(g, zone)}
                </Text>
              </View>
            </Row>
            <Action
              kind={i === 0 && g.urgency !== 'gone' ? 'main' : 'quiet'}
              title={g.action.title}
              onPress={() => router.push(`/${code}${g.action.path}` as never)}
            />
          </View>
        ))}
      </View>
      {sorted.length > SHOWN ? (
        <Row>
          <Action title={all ? 'Show the first only' : `Show all ${sorted.length}`} onPress={() => setAll(!all)} />
        </Row>
      ) : null}
    </View>
  );
}
