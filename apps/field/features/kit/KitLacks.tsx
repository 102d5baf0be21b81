import { router } from 'expo-router';
import type { CameraBody, LensRecord } from '@tawny/contract';
import { useProductionCode } from '../../data/queries';
import { Action } from '../../ui/Action';
import { Notice } from '../../ui/Notice';
import { Row } from '../../ui/Panel';

/** What the kit lacks before a camera can be named, and the way to add it. */
export function KitLacks({
  bodies,
  lenses,
  wants,
}: {
  bodies: readonly CameraBody[];
  lenses: readonly LensRecord[];
  wants: string;
}) {
  const code = useProductionCode();
  const lacks = [
    ...(bodies.length === 0 ? [{ kind: 'bodies', noun: 'camera body' }] : []),
    ...(lenses.length === 0 ? [{ kind: 'lenses', noun: 'lens' }] : []),
  ];
  return (
    <Notice state="open" title={`The kit holds no ${lacks.map((l) => l.noun).join(' and no ')} yet`} detail={wants}>
      <Row wrap>
        {lacks.map((l, i) => (
          <Action
            key={l.kind}
            kind={i === 0 ? 'main' : 'quiet'}
            title={`Add a ${l.noun} to the kit`}
            onPress={() => router.push(`/${code}/kit?kind=${l.kind}` as never)}
          />
        ))}
      </Row>
    </Notice>
  );
}
