import { useState } from 'react';
import { View } from 'react-native';
import type { Take } from '@tawny/contract';
import { Action } from '../../ui/Action';
import { Choice } from '../../ui/Choice';
import { Row } from '../../ui/Panel';
import { SPACE } from '../../ui/tokens';

/** Takes offered at first, newest first. */
const FEW = 5;

/** One of the takes of a setup: the newest few, the chosen one always among them, and all when wanted. */
export function TakeChoice({
  label,
  takes,
  value,
  onChange,
}: {
  label: string;
  takes: readonly Take[];
  value: string;
  onChange: (id: string) => void;
}) {
  const [all, setAll] = useState(false);
  return (
    <View style={{ gap: SPACE(1) }}>
      <Choice
        label={label}
        options={takes
          .filter((t, i) => all || i < FEW || t.id === value)
          .map((t) => ({ value: t.id, title: `${t.slate} / ${t.take}` }))}
        value={value}
        onChange={onChange}
      />
      {takes.length > FEW && !all ? (
        <Row>
          <Action title={`All ${takes.length} takes`} onPress={() => setAll(true)} />
        </Row>
      ) : null}
    </View>
  );
}
