import { Action } from '../../ui/Action';
import { Notice } from '../../ui/Notice';
import { Row } from '../../ui/Panel';
import { Text } from '../../ui/Text';

/** What the server said of a turn that it did not solve; `differ`: sources contradict, and one must be chosen. */
export interface NotSolved {
  message: string;
  differ: boolean;
}

/** Solving the turn, and why it was not. */
export function SolveTurn({
  title,
  alone,
  ready,
  busy,
  solved,
  error,
  onSolve,
}: {
  title: string;
  /** The way on without the sun, when it contradicts. */
  alone: string;
  /** There is something to solve from. */
  ready: boolean;
  busy: boolean;
  /** What came of it. */
  solved: string | null;
  error: NotSolved | null;
  onSolve: (withSun: boolean) => void;
}) {
  return (
    <>
      {error ? (
        <Notice state="doubtful" title="The turn was not solved" detail={error.message}>
          {error.differ ? (
            <Row>
              <Action title={alone} busy={busy} onPress={() => onSolve(false)} />
            </Row>
          ) : null}
        </Notice>
      ) : null}
      {ready ? (
        <Row>
          <Action grow kind="main" title={title} busy={busy} onPress={() => onSolve(true)} />
        </Row>
      ) : null}
      {solved ? (
        <Text size="small" testID="solved-words">
          {solved}
        </Text>
      ) : null}
    </>
  );
}
