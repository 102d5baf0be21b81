import { View } from 'react-native';
import type { GroupingResult, LightRound, ViewCheck } from '@tawny/contract';
import { Fold } from '../../ui/Fold';
import { Row } from '../../ui/Panel';
import { StateMark, type StateName } from '../../ui/StateMark';
import { Notice } from '../../ui/Notice';
import { Text } from '../../ui/Text';
import { SPACE } from '../../ui/tokens';
import { checksByView, findingsOf, idleSentence, roundSentence } from './viewChecks';

const MARKS: Record<ViewCheck['verdict'], { state: StateName; word: string }> = {
  good: { state: 'complete', word: 'Holds' },
  doubtful: { state: 'doubtful', word: 'Look' },
  again: { state: 'lost', word: 'Shoot again' },
};

/** While one still stands at the station: which views to shoot again, and why. */
export function ViewCheckList({
  round,
  grouping,
  built = false,
}: {
  round: LightRound;
  grouping: GroupingResult;
  /** There is a panorama of it already. */
  built?: boolean;
}) {
  if (round.viewChecks === null) return null;
  const found = checksByView(grouping, round.viewChecks);
  const { state, words, said } = roundSentence(found, built);
  const { common, own: all } = findingsOf(found);
  const own = all.map((findings, i) => findings.filter((f) => !(said?.view === i + 1 && said.finding === f)));
  const idle = idleSentence(found);
  const worth = found.flatMap((c, i) => (c && own[i].length > 0 ? [{ number: i + 1, check: c }] : [])); // prettier-ignore
  const details = (
    <>
      {common.map((line) => (
        <Text key={line} size="small" tone="quietInk">
          {line}
        </Text>
      ))}
      {worth.map(({ number, check }) => (
        <Row key={number} style={{ alignItems: 'flex-start' }}>
          <View style={{ width: 124 }}>
            <Text strong>{`View ${number}`}</Text>
            <StateMark {...MARKS[check.verdict]} />
          </View>
          <View style={{ flex: 1 }}>
            {own[number - 1].map((f, i) => (
              <Text key={i} size="small" tone="quietInk">
                {f}
              </Text>
            ))}
          </View>
        </Row>
      ))}
    </>
  );
  return (
    <View style={{ gap: SPACE(3) }} testID="view-checks">
      <Notice
        state={state}
        title={words}
        detail={state === 'lost' ? 'While the rig still stands there: the rest of the round is kept.' : undefined}
        testID={state === 'lost' ? 'shoot-again' : undefined}
      />
      {/* Once it is built the check sheet says what became of it. */}
      {built && common.length + worth.length > 0 ? (
        <Fold title="What was found in the views" summary={foundSummary(common.length, worth.length)}>
          {details}
        </Fold>
      ) : (
        details
      )}
      {idle && !built ? (
        <Text size="small" tone="quietInk">
          {idle}
        </Text>
      ) : null}
    </View>
  );
}

const foundSummary = (common: number, worth: number) =>
  [common > 0 ? 'In every view' : '', worth > 0 ? `${worth} ${worth === 1 ? 'view' : 'views'}` : '']
    .filter(Boolean)
    .join(', ');
