import { View } from 'react-native';
import type { GroupingResult, LightRound, ViewCheck } from '@tawny/contract';
import { Row } from '../../ui/Panel';
import { StateMark, type StateName } from '../../ui/StateMark';
import { Notice } from '../../ui/Notice';
import { Text } from '../../ui/Text';
import { SPACE } from '../../ui/tokens';
import { checksByView } from './viewChecks';

const MARKS: Record<ViewCheck['verdict'], { state: StateName; word: string }> = {
  good: { state: 'complete', word: 'Holds' },
  doubtful: { state: 'doubtful', word: 'Look' },
  again: { state: 'lost', word: 'Shoot again' },
};

/** While one still stands at the station: which views to shoot again, and why. */
export function ViewCheckList({ round, grouping }: { round: LightRound; grouping: GroupingResult }) {
  if (round.viewChecks === null) return null;
  const found = checksByView(grouping, round.viewChecks);
  const again = found.flatMap((c, i) => (c?.verdict === 'again' ? [i + 1] : []));
  const worth = found.flatMap((c, i) => (c && c.verdict !== 'good' ? [{ number: i + 1, check: c }] : []));
  return (
    <View style={{ gap: SPACE(3) }} testID="view-checks">
      {again.length > 0 ? (
        <Notice
          state="lost"
          title={`Shoot again: view ${again.join(', ')}`}
          detail="While the rig still stands there: the rest of the round is kept."
          testID="shoot-again"
        />
      ) : (
        <Notice
          state={worth.length > 0 ? 'doubtful' : 'complete'}
          title={
            found.every((c) => c)
              ? worth.length > 0
                ? 'No view needs to be shot again'
                : 'Every view holds'
              : 'Views are being looked at'
          }
        />
      )}
      {worth.map(({ number, check }) => (
        <Row key={number} style={{ alignItems: 'flex-start' }}>
          <View style={{ width: 124 }}>
            <Text strong>{`View ${number}`}</Text>
            <StateMark {...MARKS[check.verdict]} />
          </View>
          <View style={{ flex: 1 }}>
            {check.findings.map((f, i) => (
              <Text key={i} size="small" tone="quietInk">
                {f}
              </Text>
            ))}
          </View>
        </Row>
      ))}
    </View>
  );
}
