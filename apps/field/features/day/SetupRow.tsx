import { router } from 'expo-router';
import { Pressable } from 'react-native';
import type { Setup, SetupGaps } from '@tawny/contract';
// Words alone: the day is drawn before the table of the API is needed.
import { NEEDS, NEEDS_OF_TAKES, type Need } from '@tawny/contract/needs';
import { useProductionCode } from '../../data/queries';
import { clock } from '../../data/time';
import { Action } from '../../ui/Action';
import { Panel, Row } from '../../ui/Panel';
import { StateMark, StateShape } from '../../ui/StateMark';
import { Figure, Text } from '../../ui/Text';
import { SPACE } from '../../ui/tokens';

/** Which need a rule speaks for, where the two names differ. */
const NEED_OF_RULE: Record<string, Need> = { staleRound: 'round' };

/** A setup with a mark for everything it needs: there, or still open. */
export function SetupRow({ setup, gaps, zone }: { setup: Setup; gaps: SetupGaps | undefined; zone: string }) {
  const code = useProductionCode();
  const open = new Map((gaps?.gaps ?? []).map((g) => [NEED_OF_RULE[g.rule] ?? g.rule, g.urgency]));
  const noTake = gaps?.gaps.some((g) => g.rule === 'take') ?? false;
  const waits = (n: Need) => noTake && NEEDS_OF_TAKES.includes(n);
  const have = setup.needs.filter((n) => !open.has(n) && !waits(n)).length;
  const status = !gaps
    ? 'Looking ...'
    : gaps.gaps.length === 0
      ? 'Complete'
      : `${have} of ${setup.needs.length} needs met`;
  const go = (place: string) => router.push(`/${code}/${place}` as never);
  return (
    <Panel>
      <Pressable
        role="link"
        aria-label={`Open ${setup.name}`}
        onPress={() => go(`log?setup=${setup.id}`)}
        style={{ gap: SPACE(1), minHeight: 44 }}
      >
        <Row style={{ justifyContent: 'space-between' }}>
          <Text size="large" strong heading={3} style={{ flexShrink: 1 }}>
            {setup.name}
          </Text>
          <Figure value={setup.slate} size="large" />
        </Row>
        <Text size="small" tone="quietInk">
          {`${setup.kind === 'greenScreen' ? 'green screen' : setup.kind} · ${setup.lightCondition}${setup.lightAt ? ` · light wanted ${clock(setup.lightAt, zone)}` : ''}${setup.done ? ' · done' : ''}`}
        </Text>
      </Pressable>
      {gaps && gaps.gaps.length === 0 ? (
        <StateMark state="complete" word="Complete" />
      ) : (
        <Text size="small">{status}</Text>
      )}
      <Row wrap gap={3} style={{ rowGap: SPACE(1) }}>
        {setup.needs.map((n) => {
          const urgency = open.get(n);
          return (
            <Row key={n} gap={1}>
              <StateShape
                state={
                  waits(n)
                    ? 'open'
                    : urgency === undefined
                      ? 'complete'
                      : urgency === 'now' || urgency === 'gone'
                        ? 'lost'
                        : urgency === 'today'
                          ? 'doubtful'
                          : 'open'
                }
                size={11}
              />
              <Text
                size="small"
                tone="quietInk"
              >{`${NEEDS[n].replace(/^an? /, '').replace(/ per .*$/, '')}${waits(n) ? ' with the first take' : urgency === undefined ? '' : urgency === 'gone' ? ' gone' : ' open'}`}</Text>
            </Row>
          );
        })}
      </Row>
      <Row wrap>
        <Action title="Log" onPress={() => go(`log?setup=${setup.id}`)} />
        <Action title="Setup" onPress={() => go(`setup/${setup.id}`)} />
      </Row>
    </Panel>
  );
}
