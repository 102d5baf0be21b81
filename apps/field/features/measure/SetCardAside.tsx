import Input from '@rneui/themed/dist/Input';
import { useState } from 'react';
import { View } from 'react-native';
import type { Exposures } from '@tawny/contract';
import { asideInput } from '@tawny/contract/calibrations';
import { useOperation } from '../../data/queries';
import { Action } from '../../ui/Action';
import { Notice } from '../../ui/Notice';
import { Row } from '../../ui/Panel';
import { SPACE } from '../../ui/tokens';

interface SetCardAsideProps {
  panoramaId: string;
  take: string;
  card: Exposures['takes'][number]['cards'][number];
}

/** One card of several counts no more, and why: asked before it is done. */
export function SetCardAside({ panoramaId, take, card: { what, part, number } }: SetCardAsideProps) {
  const setAside = useOperation('panoramas.setAside', { id: panoramaId });
  const [reason, setReason] = useState<string | null>(null);
  if (reason === null)
    return (
      <Action
        title={`Set the ${what} aside`}
        hint={`The ${what} of ${take} counts no more; asks why`}
        testID={`aside-${take}-${part}`}
        onPress={() => setReason('')}
      />
    );
  const label = `Why the ${what} of ${take} counts no more`;
  return (
    <View style={{ gap: SPACE(2), alignSelf: 'stretch' }}>
      <Input
        label={label}
        accessibilityLabel={label}
        value={reason}
        onChangeText={setReason}
        renderErrorMessage={false}
      />
      {setAside.error ? <Notice state="lost" title="It still counts" detail={setAside.error.message} /> : null}
      <Row wrap>
        <Action
          title={`Set the ${what} aside`}
          kind="main"
          disabled={!asideInput.shape.reason.safeParse(reason).success}
          busy={setAside.isPending}
          onPress={() => setAside.mutate({ part, number, reason })}
        />
        <Action title="Keep it" onPress={() => setReason(null)} />
      </Row>
    </View>
  );
}
