import type { ReactNode } from 'react';
import { View, type ViewStyle } from 'react-native';
import { useWide } from './theme';
import { SPACE } from './tokens';

/**
 * Two columns on a wide screen, one below the other on a phone. The tree is the same, so that what is being written in
 * them stays when a tablet is turned.
 */
export function Columns({
  left,
  right,
  shares = [1, 1],
}: {
  left: ReactNode;
  right: ReactNode;
  /** How the width is shared. */
  shares?: [number, number];
}) {
  const wide = useWide();
  return (
    <View
      style={{ flexDirection: wide ? 'row' : 'column', gap: SPACE(4), alignItems: wide ? 'flex-start' : 'stretch' }}
    >
      {[left, right].map((column, i) => (
        <View key={i} style={wide ? { flex: shares[i], gap: SPACE(4) } : NO_BOX}>
          {column}
        </View>
      ))}
    </View>
  );
}

/** On a phone what stands in both columns follows each other without them, in the order that it asks for. */
const NO_BOX = { display: 'contents' } as unknown as ViewStyle;

/** Where something of a column stands on a phone, when not where it is written (0). */
export const placed = (order: number): ViewStyle => ({ order }) as ViewStyle;
