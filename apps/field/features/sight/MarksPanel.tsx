import { View } from 'react-native';
import type { Panorama } from '@tawny/contract';
import { Action } from '../../ui/Action';
import { Choice } from '../../ui/Choice';
import { Either } from '../../ui/Either';
import { Panel, Row } from '../../ui/Panel';
import { Text } from '../../ui/Text';
import { SPACE } from '../../ui/tokens';
import { seenCount, type Marking, type Seen } from './seenMarks';
import { SolveTurn, type NotSolved } from './SolveTurn';
import type { SetRecords, useSeen } from './useSeen';

const MARKINGS = [
  { value: 'sun', title: 'Sun' },
  { value: 'mark', title: 'A mark' },
  { value: 'edge', title: 'An upright edge' },
  { value: 'horizon', title: 'The sea’s horizon' },
  { value: 'compass', title: 'A compass bearing' },
] as const;

/** What is marked in the panorama: the sun by a ring, marks of the plan, upright edges, the open horizon, what a compass pointed at; and solving from all of it. */
export function MarksPanel({
  marked,
  set,
  viewsCompass,
  busy,
  solved,
  error,
  onSolve,
}: {
  marked: ReturnType<typeof useSeen>;
  set: SetRecords;
  /** What the compass of the camera told of the panorama's turn. */
  viewsCompass: Panorama['viewsCompass'];
  busy: boolean;
  solved: string | null;
  error: NotSolved | null;
  onSolve: (withSun: boolean) => void;
}) {
  const { seen, marking, change } = marked;
  const { marks, compass: readings } = set;
  return (
    <Panel title="Marks">
      <Choice label="A tap in the panorama marks" options={MARKINGS} value={marking} onChange={marked.mark} />
      {marking === 'mark' && marks.length > 0 ? (
        <Choice
          label="Which mark"
          options={marks.map((m) => ({ value: m.id, title: m.name }))}
          value={marked.markId ?? ''}
          onChange={marked.chooseMark}
        />
      ) : null}
      {marking === 'compass' && readings.length > 0 ? (
        <Choice
          label="Which bearing"
          options={readings.map((r) => ({ value: r.id, title: `${r.shown.toFixed(1)}° shown` }))}
          value={marked.readingId ?? ''}
          onChange={marked.chooseReading}
        />
      ) : null}
      <Text size="small" tone="quietInk" testID="mark-words">
        {wordsOf(marking, marked.begun !== null, marks.length, readings.length)}
      </Text>
      {marking === 'sun' && seen.sunAt ? (
        <Row wrap>
          <Either
            label="How much of the disc is seen"
            yes="Partly hidden"
            no="The whole disc"
            noFirst
            value={seen.sunAt.partly}
            onChange={(v) => change({ ...seen, sunAt: { ...seen.sunAt!, partly: v } })}
          />
        </Row>
      ) : null}
      {viewsCompass ? (
        <>
          <Text size="small" tone="quietInk" testID="views-compass">
            {`The camera’s own compass, in ${viewsCompass.views} ${viewsCompass.views === 1 ? 'view' : 'views'}: turned by ${viewsCompass.turnDeg.toFixed(0)}° to ${viewsCompass.north} north, ± ${viewsCompass.uncertaintyDeg.toFixed(0)}°.`}
          </Text>
          <Either
            label="The camera's compass"
            yes="Counts"
            no="Left out"
            value={seen.viewsCompass}
            onChange={(v) => change({ ...seen, viewsCompass: v })}
          />
        </>
      ) : null}
      <View style={{ gap: SPACE(1) }}>
        {listed(seen).map(({ words, without }) => (
          <Row key={words} wrap style={{ justifyContent: 'space-between' }}>
            <Text>{words}</Text>
            <Action title="Remove" hint={`Removes ${words}`} onPress={() => change(without)} />
          </Row>
        ))}
      </View>
      <SolveTurn
        title="Solve the turn from what is marked"
        alone="Leave out the sun"
        {...{ error, busy, solved, onSolve }}
        ready={seenCount(seen) > 0 || (viewsCompass !== null && seen.viewsCompass)}
      />
    </Panel>
  );
}

function wordsOf(marking: Marking, begun: boolean, marks: number, readings: number): string {
  if (marking === 'sun') return 'Zoom in and tap the middle of the sun: the ring has its true size.';
  if (marking === 'mark')
    return marks === 0
      ? 'There is no mark on the plan of this set yet: measure some there, and they tell the turn in any weather.'
      : 'Choose a mark of the plan, then tap its foot on the ground.';
  if (marking === 'edge') return begun ? 'Now tap its other end.' : 'Tap one end of an edge that stands upright: edges tell how the panorama leans.'; // prettier-ignore
  if (marking === 'horizon')
    return 'Tap the line where the open sea meets the sky, in places far apart: it tells how the panorama leans. A coast or a hill does not.';
  return readings === 0
    ? 'There is no compass bearing in the log of this set yet.'
    : 'Choose a bearing of the log, then tap what the compass pointed at.';
}

/** Everything that is marked, in words, with what is left without it. */
function listed(seen: Seen): { words: string; without: Seen }[] {
  const at = (azimuthDeg: number, elevationDeg: number) =>
    `${azimuthDeg.toFixed(1)}° in the picture, ${elevationDeg.toFixed(1)}° up`;
  return [
    ...(seen.sunAt
      ? [
          {
            words: `Sun: ${at(seen.sunAt.panoramaAzimuthDeg, seen.sunAt.panoramaElevationDeg)}`,
            without: { ...seen, sunAt: null },
          },
        ]
      : []),
    ...seen.marks.map((m, k) => ({
      words: `${m.name}: ${at(m.panoramaAzimuthDeg, m.panoramaElevationDeg)}`,
      without: { ...seen, marks: seen.marks.filter((_, i) => i !== k) },
    })),
    ...seen.compass.map((c, k) => ({
      words: `Compass ${k + 1}: ${c.panoramaAzimuthDeg.toFixed(1)}° in the picture`,
      without: { ...seen, compass: seen.compass.filter((_, i) => i !== k) },
    })),
    ...seen.horizon.map(([a, e], k) => ({
      words: `Horizon ${k + 1}: ${at(a, e)}`,
      without: { ...seen, horizon: seen.horizon.filter((_, i) => i !== k) },
    })),
    ...seen.verticals.map(([a, e], k) => ({
      words: `Edge ${k + 1}: from ${at(a, e)}`,
      without: { ...seen, verticals: seen.verticals.filter((_, i) => i !== k) },
    })),
  ];
}
