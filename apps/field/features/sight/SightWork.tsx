import { headingSeen } from '@tawny/contract/takeRules';
import { apartM, mostShiftDeg } from '@tawny/core/camera/stationFromCamera';
import { yawQuaternion } from '@tawny/core/orient/attitude';
import { multiply } from '@tawny/core/orient/quaternion';
import { router } from 'expo-router';
import { useMemo, useState, type ComponentProps } from 'react';
import { View } from 'react-native';
import type {
  Calibration,
  CameraBody,
  LensRecord,
  Location,
  Orientation,
  Panorama,
  Plate,
  Proposals,
  SharedTurn,
  Station,
  Take,
} from '@tawny/contract';
import { ApiError } from '../../data/api';
import { useOperation, useProductionCode } from '../../data/queries';
import { Action } from '../../ui/Action';
import { Choice } from '../../ui/Choice';
import { Columns, placed } from '../../ui/Columns';
import { Notice } from '../../ui/Notice';
import { Panel, Row } from '../../ui/Panel';
import { PanoramaStrip } from '../../ui/panorama/PanoramaStrip';
import { useWide } from '../../ui/theme';
import { SPACE } from '../../ui/tokens';
import { headingWords } from '../../ui/words';
import { KitLacks } from '../kit/KitLacks';
import { TakeChoice } from '../measure/TakeChoice';
import { LevelsPanel } from './LevelsPanel';
import { MarksPanel } from './MarksPanel';
import { NearThings } from './NearThings';
import { plannedFrom, sightOfPlanned } from './plannedCamera';
import { PlanningLens } from './PlanningLens';
import { PicksPanel, type SightPick } from './PicksPanel';
import { pointsOf } from './seenMarks';
import type { PlateTap, SightHand } from './SightPicture';
import { SightStage } from './SightStage';
import { TurnPanel } from './TurnPanel';
import {
  directionAt,
  handTurnOf,
  headingOf,
  offsetSeen,
  quaternionOf,
  shiftAt,
  sightOf,
  type HandTurn,
} from './sightMath';
import { useTakeKeys } from './sightHooks';
import { usePlateScale } from './usePlateScale';
import { useSeen, type SetRecords } from './useSeen';
import { useSettledTurn, useTurn, type TurnStore } from './useTurn';

/** The work surface: plate and panorama over each other, the turn, picks and what the sun and near things say. */
export function SightWork({
  panorama,
  station,
  calibration,
  location,
  takes,
  take,
  plates,
  kit,
  set,
  otherRounds,
  onTake,
}: {
  panorama: Panorama;
  station: Station;
  calibration: Calibration | null;
  location: Location;
  takes: readonly Take[];
  take: Take | undefined;
  plates: readonly Plate[];
  kit: { bodies: readonly CameraBody[]; lenses: readonly LensRecord[] };
  set: SetRecords;
  /** Rounds of this station beside its own that have a panorama. */
  otherRounds: number;
  onTake: (id: string) => void;
}) {
  const wide = useWide();
  const code = useProductionCode();
  const solved = calibration?.orientation ?? null;
  const hand = useTurn(solved ? handTurnOf(solved.rotation) : { yawDeg: 0, tiltDeg: 0, rollDeg: 0 });
  const [plateId, setPlateId] = useState<string | null>(null);
  const [tool, setTool] = useState<SightHand>('turn');
  const [distanceM, setDistanceM] = useState(10);
  const [planned, setPlanned] = useState(() => plannedFrom(kit));
  // Picks belong to the plate that they were made in.
  const [picksOf, setPicksOf] = useState<Record<string, SightPick[]>>({});
  const [tapped, setTapped] = useState<({ plateId: string } & PlateTap) | null>(null);
  const marked = useSeen(solved?.sight, set);
  const { seen } = marked;
  const orient = useOperation('panoramas.orient', { id: panorama.id });
  const propose = useOperation('panoramas.propose', { id: panorama.id });
  const shareTurn = useOperation('panoramas.shareTurn', { id: panorama.id });
  const plate = plates.find((p) => p.id === plateId) ?? plates[0];
  const kept = solved?.sight && solved.sight.plateId === plate?.id ? solved.sight.picks : [];
  const picks = plate ? (picksOf[plate.id] ?? kept) : [];
  const setPicks = (changed: SightPick[]) => plate && setPicksOf((all) => ({ ...all, [plate.id]: changed }));
  const waiting = tapped && tapped.plateId === plate?.id ? tapped : null;
  const scale = usePlateScale(panorama.id, calibration, take);
  const aimed = useMemo(() => take && aimedBy(take, solved), [take, solved]);
  const view = useMemo(
    () => (aimed ? sightOf(aimed, plate, kit, location) : planned && sightOfPlanned(planned)),
    [aimed, plate, kit.bodies, kit.lenses, location, planned],
  );
  useTakeKeys(takes, take, onTake);
  if (!view || (take && !kit.lenses.some((l) => l.id === take.lensId)))
    return take ? (
      <Notice
        state="doubtful"
        title="The take’s camera is not in the kit"
        detail="Choose its recording format and lens in the log: the sight looks through them."
      />
    ) : (
      <KitLacks
        bodies={kit.bodies}
        lenses={kit.lenses.filter((l) => l.kind !== 'fisheye')}
        wants="The sight looks through a body and a lens that is no fisheye."
      />
    );
  const failed = orient.error instanceof ApiError ? orient.error : null;
  const error = orient.error
    ? { message: orient.error.message, differ: failed?.problem.code === 'sources-differ' }
    : null;
  const follow = {
    onSuccess: ({ orientation }: Calibration) => orientation && hand.change(() => handTurnOf(orientation.rotation)),
  };
  const seenHeading = take ? headingSeen(take, solved) : null;
  const keep = (turned: HandTurn, uncertaintyDeg: number, near: boolean, sun: boolean) => {
    const northTold =
      (sun && (panorama.sun ?? seen.sunAt) !== null) ||
      seen.marks.length + seen.compass.length > 0 ||
      (seen.viewsCompass && panorama.viewsCompass !== null);
    // Where nothing tells north, nor a heading, the turn is that of the set frame, along whose azimuth 0 the plate looks.
    const inSet = seenHeading !== null && !northTold;
    const rotation = inSet ? multiply(yawQuaternion(-seenHeading.value), quaternionOf(turned)) : quaternionOf(turned);
    orient.mutate(
      {
        ...seen,
        // What told where the plate looks goes on telling it.
        ...(seenHeading && !inSet && solved?.sight
          ? { plateId: solved.sight.plateId, picks: solved.sight.picks }
          : { plateId: plate?.id ?? null }),
        hand: {
          rotation: [...rotation],
          // Of north it tells no more than is known of where the plate looks.
          uncertaintyDeg: Math.min(180, Math.hypot(uncertaintyDeg, inSet ? 0 : (seenHeading?.uncertainty ?? 0))),
          distanceM: near ? distanceM : null,
        },
        sun,
      },
      inSet ? follow : undefined,
    );
  };
  const solve = (sun: boolean) => orient.mutate({ ...seen, plateId: plate?.id ?? null, picks, sun }, follow);
  const told = orient.data?.orientation ? solvedWords(orient.data.orientation) : null;
  const apart = take ? apartM(take, station) : null;
  const near = apart && plate ? { distanceM, shiftDeg: mostShiftDeg(apart.metres, distanceM) } : null;
  const offset = take ? offsetSeen(take, station, view) : null;
  const picture = (
    <>
      <SightStage
        panorama={panorama}
        plate={plate}
        view={view}
        hand={hand}
        {...scale}
        tool={tool}
        onTool={setTool}
        picks={picks}
        waiting={waiting}
        surveyed={set.surveyed}
        onTap={(tap) => tool === 'pick' && plate && setTapped({ plateId: plate.id, ...tap })}
        about={{ take, location, heading: seenHeading }}
      />
      {plate ? <LevelsPanel key={plate.id} {...{ panorama, plate, view, hand, ...scale }} /> : null}
    </>
  );
  const strip = (
    <Panel title="Panorama">
      <SettledStrip
        panorama={panorama}
        hand={hand}
        trueNorth={solved?.frame === 'trueNorth'}
        height={wide ? 220 : 170}
        start={{ azimuthDeg: headingOf(view), spanDeg: 110 }}
        points={pointsOf(seen, marked.begun)}
        onProbe={
          tool === 'mark'
            ? marked.tap
            : waiting
              ? ({ azimuthDeg, elevationDeg, withinDeg }) => {
                  const { plateId: _of, ...tap } = waiting;
                  const there = { panoramaAzimuthDeg: azimuthDeg, panoramaElevationDeg: elevationDeg, withinDeg };
                  setPicks([...picks, { ...tap, ...there, distanceM: null }]);
                  setTapped(null);
                }
              : undefined
        }
      />
    </Panel>
  );
  const choices = (
    <Panel title="Seen through">
      {take ? (
        <TakeChoice label="Take" takes={takes} value={take.id} onChange={onTake} />
      ) : (
        planned && <PlanningLens kit={kit} planned={planned} onChange={setPlanned} />
      )}
      {plates.length > 1 ? (
        <Choice
          label="Plate"
          options={plates.map((p) => ({ value: p.id, title: p.name }))}
          value={plate.id}
          onChange={setPlateId}
        />
      ) : null}
      {take && plate ? (
        <Row>
          <Action
            title={take.pictureCamera ? 'Camera measured from its edges' : 'Measure its camera from edges'}
            onPress={() => router.push(`/${code}/plate-camera?setup=${take.setupId}&take=${take.id}&plate=${plate.id}`)}
          />
        </Row>
      ) : null}
    </Panel>
  );
  const side = (
    <>
      {tool === 'mark' ? (
        <MarksPanel
          marked={marked}
          set={set}
          viewsCompass={panorama.viewsCompass}
          busy={orient.isPending}
          solved={told}
          error={error}
          onSolve={solve}
        />
      ) : tool === 'pick' ? (
        <PicksPanel
          picks={picks}
          plate={plate !== undefined}
          shiftOf={(p) => {
            const ray = p.distanceM === null ? null : directionAt(view, p.xPx, p.yPx);
            return ray && offset ? Math.abs(shiftAt(view, offset, ray, p.distanceM!).rightDeg) : null;
          }}
          waiting={waiting !== null}
          busy={orient.isPending}
          solved={told}
          error={error}
          proposing={{ busy: propose.isPending, words: proposalWords(propose) }}
          onPropose={() =>
            propose.mutate(
              { plateId: plate!.id },
              {
                onSuccess: ({ picks: found }) =>
                  setPicks([
                    ...picks.filter((p) => !p.proposed),
                    ...found.map(({ score: _score, ...p }) => ({
                      ...p,
                      withinPx: null,
                      withinDeg: null,
                      distanceM: null,
                      proposed: true,
                    })),
                  ]),
              },
            )
          }
          onChange={setPicks}
          onSolve={solve}
        />
      ) : (
        <TurnPanel
          hand={hand}
          calibration={calibration}
          error={error}
          busy={orient.isPending || shareTurn.isPending}
          sharing={
            otherRounds > 0
              ? {
                  rounds: otherRounds,
                  words: sharedWords(shareTurn),
                  share: () => shareTurn.mutate({}),
                }
              : null
          }
          near={near}
          onKeep={keep}
        />
      )}
      {take ? <NearThings {...{ take, station, view, apart, offset, distanceM }} onDistance={setDistanceM} /> : null}
    </>
  );
  // On a phone the panorama stands beside the hand that needs it, and what is seen through comes last.
  const pointed = tool === 'pick' || tool === 'mark';
  return (
    <Columns
      shares={[3, 2]}
      left={
        <>
          {picture}
          <View style={placed(pointed ? 1 : 3)}>{strip}</View>
        </>
      }
      right={
        <>
          <View style={placed(wide ? 1 : 4)}>{choices}</View>
          <View style={{ ...placed(2), gap: SPACE(4) }}>{side}</View>
        </>
      }
    />
  );
}

/** The take as its camera looked, also where that was not logged but told in the sight. */
function aimedBy(take: Take, solved: Orientation | null): Take {
  const seen = headingSeen(take, solved);
  return seen ? { ...take, headingDeg: seen.value, headingNorth: 'true' } : take;
}

/** What came of solving the turn. */
function solvedWords({ adopted, frame, plateHeading }: Orientation): string {
  const within = adopted.uncertainty === null ? '' : ` ± ${adopted.uncertainty.toFixed(2)}°`;
  return [
    `Solved: the panorama is turned by ${adopted.value.toFixed(2)}°${within}${frame === 'set' ? ', in the frame of the set' : ''}`,
    ...(plateHeading ? [`the plate looks along ${headingWords(plateHeading)}`] : []),
  ].join('; ');
}

/** What came of looking for things that both pictures show. */
function proposalWords({ data, error }: { data?: Proposals; error: Error | null }): string | null {
  if (error) return error.message;
  if (!data) return null;
  if (data.reason !== null) return `Nothing is proposed: ${data.reason}.`;
  return `${data.picks.length} proposed: look at each in both pictures and remove what is wrong, then solve.`;
}

/** What came of using the turn for other rounds. */
function sharedWords({ data, error }: { data?: SharedTurn; error: Error | null }): string | null {
  if (error) return error.message;
  if (!data) return null;
  const kept = data.kept.map((k) => `${k.round} keeps its own, ${k.apartDeg.toFixed(1)}° from this one`);
  return [`Turned: ${data.panoramaIds.length}`, ...kept].join('; ');
}

/** The panorama by itself; it follows when the hand rests. */
function SettledStrip({ hand, ...rest }: { hand: TurnStore } & Omit<ComponentProps<typeof PanoramaStrip>, 'yawDeg'>) {
  return <PanoramaStrip {...rest} yawDeg={useSettledTurn(hand).yawDeg} />;
}
