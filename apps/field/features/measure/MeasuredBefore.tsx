import Input from '@rneui/themed/dist/Input';
import { useState } from 'react';
import { View } from 'react-native';
import type { Calibration, Panorama } from '@tawny/contract';
import { calibrationChoice } from '@tawny/contract/calibrations';
import { signed } from '@tawny/core/text/signed';
import { useCalibrations, useOperation } from '../../data/queries';
import { clock } from '../../data/time';
import { Action } from '../../ui/Action';
import { Fold } from '../../ui/Fold';
import { Notice } from '../../ui/Notice';
import { Row } from '../../ui/Panel';
import { Text } from '../../ui/Text';
import { SPACE } from '../../ui/tokens';

type Part = 'orientation' | 'scale' | 'colour';
const PARTS: { part: Part; noun: string; words: (c: Calibration) => string | null }[] = [
  { part: 'orientation', noun: 'north', words: (c) => c.orientation && within(c.orientation.adopted, '°') },
  { part: 'scale', noun: 'gain', words: (c) => c.scale && within(c.scale.adopted, ' stop') },
  { part: 'colour', noun: 'colours', words: (c) => c.colour && `matched to ${c.colour.deltaE2000.mean.toFixed(1)}` },
];

function within({ value, uncertainty }: { value: number; uncertainty: number | null }, unit: string): string {
  return `${signed(value, 2)}${uncertainty === null ? '' : ` ± ${uncertainty.toFixed(2)}`}${unit}`;
}

/** What two measurements of a part have in common, or not. */
const sameAs = (a: Calibration[Part], b: Calibration[Part]) => JSON.stringify(a) === JSON.stringify(b);

function partWords(c: Calibration): string {
  return PARTS.map(({ noun, words }) => {
    const found = words(c);
    return found === null ? `no ${noun}` : `${noun} ${found}`;
  }).join(' · ');
}

/** Which of its parts count no more as a card of their take, and why. */
const asideWords = ({ aside }: Calibration): string[] =>
  PARTS.flatMap(({ part, noun }) =>
    part !== 'orientation' && aside[part] !== undefined ? [`${noun} set aside: ${aside[part]}`] : [],
  );

/** Measurements of a panorama one after the other: compared, gone back to, or set aside with the reason. */
export function MeasuredBefore({ panorama, zone }: { panorama: Panorama; zone: string }) {
  const all = useCalibrations(panorama.id);
  const choose = useOperation('panoramas.choose', { id: panorama.id });
  const [reason, setReason] = useState('');
  const list = all.data ?? [];
  const [current, ...earlier] = list;
  if (!current) return null;
  const act = (part: Part, from: number | null) =>
    choose.mutate({ part, from, reason }, { onSuccess: () => setReason('') });
  const ready = calibrationChoice.shape.reason.safeParse(reason).success;
  return (
    <Fold
      title="Measured before"
      summary={
        earlier.length === 0 ? 'This is the first measurement' : `${list.length} measurements, the newest counts`
      }
    >
      <View style={{ gap: SPACE(3) }}>
        <Input
          label="Why another one counts"
          accessibilityLabel="Why another one counts"
          value={reason}
          onChangeText={setReason}
          renderErrorMessage={false}
        />
        {choose.error ? <Notice state="lost" title="Nothing was changed" detail={choose.error.message} /> : null}
        <Row wrap>
          {PARTS.filter(({ part }) => current[part] !== null).map(({ part, noun }) => (
            <Action
              key={part}
              title={`Set the ${noun} aside`}
              disabled={!ready}
              busy={choose.isPending}
              onPress={() => act(part, null)}
            />
          ))}
        </Row>
        {list.map((c) => (
          <View key={c.id} style={{ gap: SPACE(1) }}>
            <Text strong={c === current}>{`${c.number}: ${partWords(c)}`}</Text>
            <Text size="small" tone="quietInk">
              {[clock(c.createdAt, zone), c === current ? 'counts now' : '', c.reason, ...asideWords(c)]
                .filter(Boolean)
                .join(' · ')}
            </Text>
            <Row wrap>
              {PARTS.filter(({ part }) => c[part] !== null && !sameAs(c[part], current[part])).map(({ part, noun }) => (
                <Action
                  key={part}
                  title={`Go back to the ${noun} of ${c.number}`}
                  disabled={!ready}
                  busy={choose.isPending}
                  onPress={() => act(part, c.number)}
                />
              ))}
            </Row>
          </View>
        ))}
      </View>
    </Fold>
  );
}
