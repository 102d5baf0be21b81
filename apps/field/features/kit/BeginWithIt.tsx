import { View } from 'react-native';
import type { PanoramaRig, RigStatement } from '@tawny/contract';
import { useSave } from '../../data/queries';
import { Action } from '../../ui/Action';
import { Notice } from '../../ui/Notice';
import { Row } from '../../ui/Panel';
import { Text } from '../../ui/Text';
import { SPACE } from '../../ui/tokens';

/** Offers the kit what was learnt of a rig, as the start of its next round; says so where that is done already. */
export function BeginWithIt({
  rig,
  learned,
  kept,
}: {
  rig: PanoramaRig;
  /** Of its statement, what changes. */
  learned: Partial<RigStatement>;
  kept: boolean;
}) {
  const save = useSave<PanoramaRig>('rigs');
  if (kept) return <Text size="small" tone="quietInk">{`${rig.name} in the kit begins with it.`}</Text>;
  return (
    <View style={{ gap: SPACE(2) }}>
      {save.error ? <Notice state="lost" title="The kit was not changed" detail={save.error.message} /> : null}
      <Row>
        <Action
          title={`Begin with it next time: ${rig.name}`}
          busy={save.isPending}
          onPress={() => save.mutate({ record: rig, change: { statement: { ...rig.statement, ...learned } } })}
        />
      </Row>
    </View>
  );
}
