import { useState } from 'react';
import { Pressable, View } from 'react-native';
import type { Basis } from '@tawny/contract';
import { PROVENANCE_WORDS } from '@tawny/core/estimate/provenance';
import { Notice } from './Notice';
import { Text } from './Text';
import { SPACE, TARGET } from './tokens';

type Fact = Basis['facts'][number];

const amount = (f: Fact) =>
  f.uncertainty === null ? '' : `, ±${Number(f.uncertainty.toPrecision(2))}${f.unit === '°' ? '' : ' '}${f.unit}`;
const said = (f: Fact) => `${f.name} (${f.source}${amount(f)})`;

/** What a result rests on: what is only assumed stands there always, the rest on request; what has changed since comes first. */
export function RestsOn({ basis, again }: { basis: Basis; again: string }) {
  const [open, setOpen] = useState(false);
  const assumed = basis.facts.filter((f) => f.kind === 'assumed');
  if (basis.facts.length === 0) return null;
  return (
    <View style={{ gap: SPACE(2) }} testID="rests-on">
      {basis.changed.length > 0 ? (
        <Notice
          state="doubtful"
          testID="stale"
          title={`Stale: ${basis.changed.join(', ')} changed since`}
          detail={`It still says what was true then. ${again}`}
        />
      ) : null}
      {assumed.length > 0 ? (
        <Text size="small" tone="ochre">{`Assumed, not known: ${assumed.map(said).join('; ')}`}</Text>
      ) : null}
      <Pressable
        role="button"
        aria-expanded={open}
        aria-label="What it rests on"
        onPress={() => setOpen(!open)}
        style={{ minHeight: TARGET, justifyContent: 'center' }}
      >
        <Text size="small" tone="quietInk">{`${open ? '−' : '+'} Rests on ${basis.facts.length} facts`}</Text>
      </Pressable>
      {open
        ? basis.facts.map((f) => (
            <Text key={f.name} size="small" tone="quietInk">{`${PROVENANCE_WORDS[f.kind]}: ${said(f)}`}</Text>
          ))
        : null}
    </View>
  );
}
