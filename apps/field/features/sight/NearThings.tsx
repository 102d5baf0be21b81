import type { apartM, StationOffset } from '@tawny/core';
import { pacedTo } from '@tawny/core/camera/stationFromCamera';
import { useState } from 'react';
import type { Station, Take } from '@tawny/contract';
import { useSave } from '../../data/queries';
import { Action } from '../../ui/Action';
import { Panel, Row } from '../../ui/Panel';
import { Stepper } from '../../ui/Stepper';
import { Text } from '../../ui/Text';
import { DISTANCES_M } from './PicksPanel';
import { directionAt, shiftAt, type SightView } from './sightMath';

/** An offset that somebody paces is good to this, metres. */
const PACED_M = 0.3;

/** How far camera and station stood apart, a quick record of it, and what that shifts at a distance. */
export function NearThings({
  take,
  station,
  view,
  apart,
  offset,
  distanceM,
  onDistance,
}: {
  take: Take;
  station: Station;
  view: SightView;
  apart: ReturnType<typeof apartM>;
  /** Where the station lies from the lens, as far as that is known. */
  offset: StationOffset | null;
  distanceM: number;
  onDistance: (m: number) => void;
}) {
  const [editing, setEditing] = useState(false);
  return (
    <Panel title="Near things">
      <Text size="small" tone="quietInk" testID="near-words">
        {apart === null
          ? 'How far the camera stood from the station is not known: nearer things shift, and nobody can say by how much. Pace it, or fit what is far away.'
          : `The camera stood ${apart.metres.toFixed(1)} m from the station, ${FROM[apart.from]}.${shiftWords(offset, view, distanceM)}`}
      </Text>
      {apart === null || apart.metres < 0.05 ? null : (
        <Row>
          <Stepper
            label="A thing this far away"
            unit="m"
            value={distanceM}
            scale={DISTANCES_M}
            digits={1}
            onChange={(v) => onDistance(Math.max(0.5, v))}
          />
        </Row>
      )}
      {editing ? (
        <PaceOffset take={take} station={station} known={offset} onDone={() => setEditing(false)} />
      ) : (
        <Row wrap>
          <Action
            title={pacedTo(take, station) ? 'Change what was paced' : 'Pace it'}
            hint="Where the station lay, seen from the camera"
            onPress={() => setEditing(true)}
          />
        </Row>
      )}
    </Panel>
  );
}

const FROM = { paced: 'as it was paced', plan: 'by their places on the plan' } as const;

/** What things at a distance shift by, seen from the station instead: in the middle of the picture and at its sides. */
function shiftWords(offset: StationOffset | null, view: SightView, distanceM: number): string {
  if (!offset) return ' Which way is not known without the camera’s heading and height: pace it.';
  const at = (share: number) => {
    const ray = directionAt(view, share * view.widthPx, view.heightPx / 2);
    return ray ? shiftAt(view, offset, ray, distanceM).rightDeg : 0;
  };
  const middle = at(0.5);
  const edge = Math.max(Math.abs(at(0)), Math.abs(at(1)));
  return ` Seen from there, a thing ${distanceM} m away stands ${Math.abs(middle).toFixed(1)}° farther to the ${middle < 0 ? 'left' : 'right'} in the middle of the picture, and up to ${edge.toFixed(1)}° beside its place at the edges.`;
}

/** Three steps beside the camera, kept with the take. */
function PaceOffset({
  take,
  station,
  known,
  onDone,
}: {
  take: Take;
  station: Station;
  known: StationOffset | null;
  onDone: () => void;
}) {
  const save = useSave<Take>('takes');
  const [offset, setOffset] = useState(
    () =>
      pacedTo(take, station) ?? {
        stationId: station.id,
        aheadM: round(known?.aheadM ?? 0),
        rightM: round(known?.rightM ?? 0),
        upM: round(known?.upM ?? (take.heightM === null ? 0 : station.heightM - take.heightM)),
        withinM: PACED_M,
      },
  );
  const keep = (stationOffset: Take['stationOffset']) =>
    save.mutate({ record: take, change: { stationOffset } }, { onSuccess: onDone });
  const field = (name: 'aheadM' | 'rightM' | 'upM', label: string) => (
    <Stepper
      label={label}
      signed
      unit="m"
      value={offset[name]}
      step={0.1}
      onChange={(v) => setOffset((o) => ({ ...o, [name]: v }))}
    />
  );
  return (
    <>
      <Text size="small" tone="quietInk">
        From the lens to the station, as the camera looks. Less than 0: behind, to the left, below.
      </Text>
      <Row wrap style={{ alignItems: 'flex-start' }}>
        {field('aheadM', 'Ahead')}
        {field('rightM', 'To the right')}
        {field('upM', 'Higher')}
        <Stepper
          label="Within ±"
          unit="m"
          value={offset.withinM}
          step={0.1}
          onChange={(v) => setOffset((o) => ({ ...o, withinM: Math.max(0.02, v) }))}
        />
      </Row>
      {save.error ? <Text tone="madder">{save.error.message}</Text> : null}
      <Row wrap>
        <Action kind="main" title="Keep with the take" busy={save.isPending} onPress={() => keep(offset)} />
        {pacedTo(take, station) ? <Action title="Forget it" busy={save.isPending} onPress={() => keep(null)} /> : null}
        <Action title="Leave as it was" onPress={onDone} />
      </Row>
    </>
  );
}

const round = (m: number) => Number(m.toFixed(2));
