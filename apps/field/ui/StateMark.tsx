import Svg, { Circle, Path, Rect } from 'react-native-svg';
import { Row } from './Panel';
import { Text } from './Text';
import { useTheme } from './theme';
import type { Tone } from './tokens';

export type StateName = 'complete' | 'open' | 'doubtful' | 'lost';

const TONES: Record<StateName, Tone> = { complete: 'tide', open: 'quietInk', doubtful: 'ochre', lost: 'madder' };

/** A state never by colour alone: each has its shape. Full disc complete, empty ring open, half disc doubtful, notched square lost. */
export function StateShape({ state, size = 14 }: { state: StateName; size?: number }) {
  const { palette } = useTheme();
  const colour = palette[TONES[state]];
  return (
    <Svg width={size} height={size} viewBox="0 0 14 14" aria-hidden>
      {state === 'complete' ? <Circle cx={7} cy={7} r={6} fill={colour} /> : null}
      {state === 'open' ? <Circle cx={7} cy={7} r={5} fill="none" stroke={colour} strokeWidth={1.6} /> : null}
      {state === 'doubtful' ? (
        <>
          <Circle cx={7} cy={7} r={5.2} fill="none" stroke={colour} strokeWidth={1.6} />
          <Path d="M7 1.8 A5.2 5.2 0 0 0 7 12.2 Z" fill={colour} />
        </>
      ) : null}
      {state === 'lost' ? (
        <>
          <Rect x={1.5} y={1.5} width={11} height={11} fill={colour} />
          <Path d="M4.6 1.5 L7 6 L9.4 1.5 Z" fill={palette.raised} />
        </>
      ) : null}
    </Svg>
  );
}

export function StateMark({ state, word }: { state: StateName; word: string }) {
  return (
    <Row gap={1.5}>
      <StateShape state={state} />
      <Text size="small" tone={TONES[state]} strong>
        {word}
      </Text>
    </Row>
  );
}
