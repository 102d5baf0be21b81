import { View } from 'react-native';
import {
  STATED_PRIMARIES,
  statedPrimariesOf,
  type StatedPrimaries,
  type WorkingSpace,
} from '@tawny/core/colour/primaries';
import type { PictureDecoding } from '@tawny/contract';
import { useCurves } from '../../data/queries';
import { Choice } from '../../ui/Choice';
import { Row } from '../../ui/Panel';
import { Stepper } from '../../ui/Stepper';
import { Text } from '../../ui/Text';
import { SPACE } from '../../ui/tokens';

const NAMED = [
  { value: 'linear', title: 'Linear' },
  { value: 'srgb', title: 'sRGB' },
  { value: 'rec709', title: 'Rec. 709' },
  { value: 'hlg', title: 'HLG' },
  { value: 'pq', title: 'PQ' },
  { value: 'gamma', title: 'Gamma' },
];
const USUAL_GAMMA = 2.4;

/** Curve, range and primaries of code values. No curve is chosen beforehand: what nobody chose is nobody's statement. */
export function DecodingForm({
  value,
  onChange,
}: {
  value: PictureDecoding | null;
  onChange: (value: PictureDecoding) => void;
}) {
  const curves = useCurves().data ?? [];
  const gamma = value?.curve === 'gamma22' ? 2.2 : Number(/^gamma:(.+)$/.exec(value?.curve ?? '')?.[1] ?? NaN);
  const set = (part: Partial<PictureDecoding>) => onChange({ ...(value ?? WITHOUT_CURVE), ...part } as PictureDecoding);
  return (
    <View style={{ gap: SPACE(1) }}>
      <Text size="small" tone="quietInk">
        Curve of the code values
      </Text>
      <Choice
        label="Curve of the code values"
        options={[...NAMED, ...curves.map((c) => ({ value: `clf:${c.hash}`, title: c.name }))]}
        value={Number.isFinite(gamma) ? 'gamma' : (value?.curve ?? '')}
        onChange={(v) => set({ curve: (v === 'gamma' ? `gamma:${USUAL_GAMMA}` : v) as PictureDecoding['curve'] })}
      />
      {Number.isFinite(gamma) ? (
        <Row>
          <Stepper
            label="Exponent"
            value={gamma}
            step={0.1}
            digits={2}
            onChange={(v) => set({ curve: `gamma:${Math.min(10, Math.max(0.1, v))}` })}
          />
        </Row>
      ) : null}
      {value ? <RangeAndPrimaries value={value} set={set} /> : null}
    </View>
  );
}

function RangeAndPrimaries({ value, set }: { value: PictureDecoding; set: (part: Partial<PictureDecoding>) => void }) {
  return (
    <>
      <Text size="small" tone="quietInk">
        Range and primaries
      </Text>
      <Choice
        label="Range"
        options={[
          { value: 'full', title: 'Full range' },
          { value: 'legal', title: 'Legal range' },
        ]}
        value={value.range}
        onChange={(range) => set({ range })}
      />
      <Choice
        label="Primaries"
        options={[
          { value: 'rec709', title: 'Rec. 709' },
          { value: 'rec2020', title: 'Rec. 2020' },
          { value: 'p3d65', title: 'P3 D65' },
          { value: 'acescg', title: 'ACEScg' },
        ]}
        value={primariesName(value.primaries)}
        onChange={(v) =>
          set({ primaries: v in STATED_PRIMARIES ? STATED_PRIMARIES[v as StatedPrimaries] : (v as WorkingSpace) })
        }
      />
    </>
  );
}

const primariesName = (primaries: PictureDecoding['primaries']): string =>
  typeof primaries === 'string' ? primaries : (Array.isArray(primaries) && statedPrimariesOf(primaries)) || 'other';

/** What a curve is usually joined by, in sight and to be changed as soon as one is chosen. */
const WITHOUT_CURVE = { range: 'full', primaries: 'rec709' } as const;
