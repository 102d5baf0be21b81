import type { ReactNode } from 'react';
import { Text as NativeText, type TextStyle } from 'react-native';
import { useTheme } from './theme';
import { FONT, SIZE, type Tone } from './tokens';

interface TextProps {
  children: ReactNode;
  size?: keyof typeof SIZE;
  tone?: Tone;
  strong?: boolean;
  style?: TextStyle;
  lines?: number;
  /** Heading level for screen readers. */
  heading?: 1 | 2 | 3;
  testID?: string;
}

/** Words. */
export function Text({
  children,
  size = 'body',
  tone = 'ink',
  strong = false,
  style,
  lines,
  heading,
  testID,
}: TextProps) {
  const { palette } = useTheme();
  const px = SIZE[size];
  return (
    <NativeText
      testID={testID}
      numberOfLines={lines}
      role={heading ? 'heading' : undefined}
      aria-level={heading}
      style={[
        {
          color: palette[tone],
          fontFamily: strong ? FONT.textStrong : FONT.text,
          fontSize: px,
          lineHeight: Math.round(px * 1.38),
        },
        style,
      ]}
    >
      {children}
    </NativeText>
  );
}

interface FigureProps {
  value: string;
  unit?: string;
  /** Half width of the 95 % interval, in the same unit. */
  plusMinus?: string;
  size?: keyof typeof SIZE;
  tone?: Tone;
  testID?: string;
}

/** A number: tabular figures, the unit smaller and quiet, the uncertainty beside it. */
export function Figure({ value, unit, plusMinus, size = 'title', tone = 'ink', testID }: FigureProps) {
  const { palette } = useTheme();
  const px = SIZE[size];
  const small = Math.max(13, Math.round(px * 0.58));
  return (
    <NativeText
      testID={testID}
      style={{
        color: palette[tone],
        fontFamily: FONT.numberStrong,
        fontSize: px,
        lineHeight: Math.round(px * 1.2),
        fontVariant: ['tabular-nums'],
      }}
    >
      {value}
      {unit ? (
        <NativeText
          style={{ fontFamily: FONT.number, fontSize: small, color: palette.quietInk }}
        >{`\u202f${unit}`}</NativeText>
      ) : null}
      {plusMinus ? (
        <NativeText
          style={{ fontFamily: FONT.number, fontSize: small, color: palette.quietInk }}
        >{`  ±${plusMinus}`}</NativeText>
      ) : null}
    </NativeText>
  );
}
