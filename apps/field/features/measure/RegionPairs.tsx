import { useState } from 'react';
import { View } from 'react-native';
import { useOperation } from '../../data/queries';
import { Action } from '../../ui/Action';
import { Choice } from '../../ui/Choice';
import { Notice } from '../../ui/Notice';
import { Row } from '../../ui/Panel';
import { Text } from '../../ui/Text';
import { SPACE } from '../../ui/tokens';
import type { FourCorners } from '../../ui/corners';
import { plainCorners } from './plainCorners';

/** What a region may be: references of known reflectance tie a lux reading, anything else tells the colours. */
const THINGS = [
  { value: 'anything', title: 'Anything', reflectance: null },
  { value: 'white', title: 'White 90 %', reflectance: 0.9 },
  { value: 'grey', title: 'Grey 18 %', reflectance: 0.18 },
  { value: 'black', title: 'Black 3 %', reflectance: 0.03 },
] as const;
type Thing = (typeof THINGS)[number]['value'];
const NAMES: Record<Thing, string> = {
  anything: 'region',
  white: 'white reference',
  grey: 'grey',
  black: 'black reference',
};
/** Fewer tell no colours. */
const LEAST = 2;

interface Pair {
  thing: Thing;
  inPlate: FourCorners;
  inPanorama: FourCorners;
}

/** Things that plate and panorama both show, each marked in both: where no chart was there, the colours are matched by them. */
export function RegionPairs({
  panoramaId,
  plateId,
  marked,
  onTaken,
}: {
  panoramaId: string;
  plateId: string;
  /** The one that is being marked, once it is in both. */
  marked: Omit<Pair, 'thing'> | null;
  onTaken: () => void;
}) {
  const [pairs, setPairs] = useState<Pair[]>([]);
  const [thing, setThing] = useState<Thing>('anything');
  const match = useOperation('panoramas.colourByRegions', { id: panoramaId });
  const nameOf = (pair: Pair, k: number) => `${k + 1} ${NAMES[pair.thing]}`;
  const all = () =>
    match.mutate(
      {
        plateId,
        regions: pairs.map((p) => ({
          name: NAMES[p.thing],
          plateCorners: plainCorners(p.inPlate),
          panoramaCorners: plainCorners(p.inPanorama),
          reflectance: THINGS.find((t) => t.value === p.thing)!.reflectance,
        })),
      },
      { onSuccess: () => setPairs([]) },
    );
  return (
    <View style={{ gap: SPACE(2) }}>
      {marked ? (
        <>
          <Choice label="What it is" options={THINGS} value={thing} onChange={setThing} />
          <Row>
            <Action
              grow
              kind={pairs.length < LEAST ? 'main' : 'quiet'}
              title="Take this pair"
              onPress={() => {
                setPairs([...pairs, { thing, ...marked }]);
                onTaken();
              }}
            />
          </Row>
        </>
      ) : null}
      {pairs.map((pair, k) => (
        <Row key={nameOf(pair, k)} style={{ justifyContent: 'space-between' }}>
          <Text>{nameOf(pair, k)}</Text>
          <Action title={`Leave out ${k + 1}`} onPress={() => setPairs(pairs.filter((p) => p !== pair))} />
        </Row>
      ))}
      {match.error ? <Notice state="lost" title="The colours were not matched" detail={match.error.message} /> : null}
      {pairs.length >= LEAST ? (
        <Row>
          <Action
            grow
            kind={marked ? 'quiet' : 'main'}
            title={`Match the colours by ${pairs.length} regions`}
            busy={match.isPending}
            onPress={all}
          />
        </Row>
      ) : null}
    </View>
  );
}
