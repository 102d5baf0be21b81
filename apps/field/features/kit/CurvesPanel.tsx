import { useState } from 'react';
import type { KitCurve } from '@tawny/contract';
import { upload } from '../../data/api';
import { useCurves, useProductionCode, useRemove, useRenew } from '../../data/queries';
import { Action } from '../../ui/Action';
import { Notice } from '../../ui/Notice';
import { NotRemoved } from '../../ui/NotRemoved';
import { Panel, Row } from '../../ui/Panel';
import { pickFiles } from '../../ui/pickFiles';
import { Text } from '../../ui/Text';

/** Curves of recordings that no name covers, as Common LUT Format files that the user brings. */
export function CurvesPanel() {
  const code = useProductionCode();
  const curves = useCurves();
  const renew = useRenew();
  const removal = useRemove('curves');
  const [error, setError] = useState<string | null>(null);
  const bring = async () => {
    const files = await pickFiles({ accept: '.clf,.xml', multiple: true });
    if (files.length === 0) return;
    try {
      setError(null);
      await upload('curves.upload', { params: { production: code } }, files, () => undefined);
    } catch (e) {
      setError((e as Error).message);
    }
    await renew('curves.upload');
  };
  return (
    <Panel title="Curves" aside={<Action title="Bring a curve" onPress={() => void bring()} />}>
      {curves.data?.length === 0 ? (
        <Text tone="quietInk">
          None yet. A logarithmic recording needs its maker's curve as a Common LUT Format file (.clf).
        </Text>
      ) : null}
      {error ? <Notice state="lost" title="The curve was not taken in" detail={error} /> : null}
      {curves.data?.map((c) => (
        <Row key={c.id} style={{ justifyContent: 'space-between' }}>
          <CurveLine curve={c} />
          <Action title={`Remove ${c.name}`} onPress={() => removal.remove(c)} />
        </Row>
      ))}
      <NotRemoved error={removal.error} />
    </Panel>
  );
}

function CurveLine({ curve: { name, fileName, input, output } }: { curve: KitCurve }) {
  const ways = input || output ? ` · ${input ?? 'codes'} to ${output ?? 'light'}` : '';
  return (
    <Text style={{ flexShrink: 1 }}>
      {name}
      <Text size="small" tone="quietInk">{`  ${fileName}${ways}`}</Text>
    </Text>
  );
}
