import { useState } from 'react';
import { View } from 'react-native';
import type { ColourFinding } from '@tawny/contract';
import { Choice } from '../../ui/Choice';
import { Text } from '../../ui/Text';
import { useTheme } from '../../ui/theme';
import { SPACE } from '../../ui/tokens';

type Patch = ColourFinding['patches'][number];
const SHOWN = [
  { value: 'after', title: 'Matched' },
  { value: 'before', title: 'Before' },
] as const;
const WHY: Record<NonNullable<Patch['reason']>, string> = { clipped: 'clip', shaded: 'shade', dark: 'dark' };

/** Patches in a row, as on a chart. */
const ACROSS = 6;

const css = (rgb: readonly number[], gain: number) =>
  `rgb(${rgb.map((v) => Math.round(255 * Math.min(1, Math.max(0, v * gain)) ** (1 / 2.2))).join(',')})`;

/** Patches as the plate shows them, each with what the panorama makes of it in its middle, and the difference in CIEDE2000. */
export function PatchGrid({ colour }: { colour: ColourFinding }) {
  const { palette } = useTheme();
  const [shown, setShown] = useState<'after' | 'before'>('after');
  const white = Math.max(...colour.patches.map((p) => Math.max(...p.plate)));
  const { matrix: m } = colour;
  const scale = 2 ** colour.gainStops;
  const ofPanorama = ({ panorama: v }: Patch) =>
    shown === 'before' ? v.map((x) => x * scale) : [0, 3, 6].map((r) => scale * (m[r] * v[0] + m[r + 1] * v[1] + m[r + 2] * v[2])); // prettier-ignore
  return (
    <View style={{ gap: SPACE(2) }}>
      <Choice label="Colours of the panorama" options={SHOWN} value={shown} onChange={setShown} />
      <View testID="patch-grid" style={{ backgroundColor: palette.surround, padding: SPACE(2), gap: SPACE(2) }}>
        {Array.from({ length: Math.ceil(colour.patches.length / ACROSS) }, (_, row) => row * ACROSS).map((first) => (
          <View key={first} style={{ flexDirection: 'row', gap: SPACE(1) }}>
            {colour.patches.slice(first, first + ACROSS).map((p) => {
              const difference = shown === 'before' ? p.before : p.after;
              const words = p.reason ? WHY[p.reason] : (difference?.toFixed(1) ?? '–');
              return (
                <View
                  key={p.name}
                  role="img"
                  aria-label={`Patch ${p.name}: ${words}${p.reason ? ', left out' : ''}`}
                  style={{ flex: 1, alignItems: 'stretch' }}
                >
                  <View style={{ height: 42, backgroundColor: css(p.plate, 1 / white), padding: 9 }}>
                    <View style={{ flex: 1, backgroundColor: css(ofPanorama(p), 1 / white) }} />
                  </View>
                  <Text size="small" style={{ color: palette.onSurround, textAlign: 'center' }}>
                    {words}
                  </Text>
                </View>
              );
            })}
          </View>
        ))}
      </View>
    </View>
  );
}
