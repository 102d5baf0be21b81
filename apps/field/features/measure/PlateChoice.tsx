import { useState } from 'react';
import { View } from 'react-native';
import type { Plate } from '@tawny/contract';
import { picturesFirst } from '@tawny/contract/results';
import { REFERENCE_KINDS } from '@tawny/contract/setRecords';
import { call, fileAddress } from '../../data/api';
import { useProductionCode, useReferences, useRenew } from '../../data/queries';
import { Notice } from '../../ui/Notice';
import { PictureChoice } from '../../ui/PictureChoice';
import { Text } from '../../ui/Text';
import { SPACE } from '../../ui/tokens';
import { ON_IT, type PatchKind } from './usePatchMarks';

interface PlatesOfTakeProps {
  setupId: string;
  takeId: string;
  plates: readonly Plate[];
  kind: PatchKind;
}

/** What can be measured in of a take: its plates, and photographs of what is marked that were logged with it; the latter first. */
export function usePicturesOfTake({ setupId, takeId, plates, kind }: PlatesOfTakeProps) {
  const references = (useReferences(setupId).data ?? []).filter(
    (r) => r.takeId === takeId && ON_IT[kind].includes(r.kind),
  );
  // One file is one plate, though it was logged as a photograph of two things.
  const photographs = references.map((reference) => ({
    reference,
    plate: plates.find((p) => p.hash === reference.hash),
  }));
  const rest = plates.filter((p) => !photographs.some(({ plate }) => plate === p));
  return { photographs, plates: picturesFirst(rest) };
}

/** Plates and photographs of a take, by their pictures; a photograph becomes a plate when it is first chosen. */
export function PlateChoice({
  pictures: { photographs, plates },
  value,
  onChoose,
}: {
  pictures: ReturnType<typeof usePicturesOfTake>;
  value: string | undefined;
  onChoose: (plateId: string) => void;
}) {
  const code = useProductionCode();
  const renew = useRenew();
  const [error, setError] = useState<string | null>(null);
  const [reading, setReading] = useState(false);
  const choose = async (id: string) => {
    setError(null);
    if (!photographs.some((p) => p.reference.id === id)) return onChoose(id);
    setReading(true);
    try {
      const made = await call('references.plate', { params: { production: code, id }, body: {} });
      await renew('references.plate');
      onChoose(made.id);
    } catch (e) {
      setError((e as Error).message);
    }
    setReading(false);
  };
  const all = [
    ...photographs.map(({ reference: r, plate }) => ({
      value: plate?.id ?? r.id,
      uri: fileAddress('references.preview', { production: code, id: r.id }),
      title: REFERENCE_KINDS[r.kind],
      detail: r.lightCondition,
      spoken: `${REFERENCE_KINDS[r.kind]}, ${r.lightCondition}`,
    })),
    ...plates.map((p) => ({
      value: p.id,
      uri: fileAddress('plates.preview', { production: code, id: p.id }),
      title: p.referenceId === null ? 'Plate' : 'Photograph',
      detail: p.name,
      spoken: `Plate, ${p.name}`,
    })),
  ];
  return (
    <View style={{ gap: SPACE(2) }}>
      <PictureChoice label="Picture" aspect={16 / 9} options={all} value={value} onChange={(id) => void choose(id)} />
      {reading ? <Text tone="quietInk">Reading the photograph …</Text> : null}
      {error ? <Notice state="lost" title="It cannot be measured in" detail={error} /> : null}
    </View>
  );
}
