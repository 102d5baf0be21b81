import { anglesFromDirection, directionFromAngles, rotate } from '@tawny/core';
import { useState } from 'react';
import { View } from 'react-native';
import type { Calibration, CameraBody, LensRecord, Location, Panorama, Plate, Station, Take } from '@tawny/contract';
import { ApiError } from '../../data/api';
import { useOperation } from '../../data/queries';
import { Action } from '../../ui/Action';
import { Choice } from '../../ui/Choice';
import { Notice } from '../../ui/Notice';
import { Panel, Row } from '../../ui/Panel';
import { PanoramaStrip } from '../../ui/panorama/PanoramaStrip';
import { ExposureSteps } from '../../ui/ExposureSteps';
import { Text } from '../../ui/Text';
import { useWide } from '../../ui/theme';
import { SPACE } from '../../ui/tokens';
import { TakeChoice } from '../measure/TakeChoice';
import { PicksPanel, type SightPick } from './PicksPanel';
import { SightPicture, type SightHand } from './SightPicture';
import type { ShadowLine } from './SightOverlay';
import { TurnPanel } from './TurnPanel';
import { degreesPerPx, dragged, handTurnOf, inSight, quaternionOf, sightOf, type HandTurn } from './sightMath';
import type { SightLook } from './sightRenderer';
import { useBlink, useTakeKeys } from './sightHooks';
import { SightWords } from './SightWords';
import { useTurn } from './useTurn';

const LOOKS: { value: SightLook; title: string }[] = [
  { value: 'opacity', title: 'Opacity' },
  { value: 'wipe', title: 'Wipe' },
  { value: 'difference', title: 'Difference' },
  { value: 'edges', title: 'Edges' },
];
const HANDS: { value: SightHand; title: string }[] = [
  { value: 'turn', title: 'Turn' },
  { value: 'pick', title: 'Pick' },
  { value: 'shadow', title: 'Shadow' },
];
const SHARES = [
  { value: '0', title: 'Plate' },
  { value: '0.25', title: '¼' },
  { value: '0.5', title: '½' },
  { value: '0.75', title: '¾' },
  { value: '1', title: 'Panorama' },
] as const;

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
  onTake: (id: string) => void;
}) {
  const wide = useWide();
  const solved = calibration?.orientation ?? null;
  const hand = useTurn(solved ? handTurnOf(solved.rotation) : { yawDeg: 0, tiltDeg: 0, rollDeg: 0 });
  const [plateId, setPlateId] = useState<string | null>(null);
  const [look, setLook] = useState<SightLook>('opacity');
  const [share, setShare] = useState('0.5');
  const [blink, setBlink] = useState(false);
  const [stops, setStops] = useState(0);
  const [tool, setTool] = useState<SightHand>('turn');
  // Picks belong to the plate that they were made in.
  const [picksOf, setPicksOf] = useState<Record<string, SightPick[]>>({});
  const [tapped, setTapped] = useState<{ plateId: string; xPx: number; yPx: number } | null>(null);
  const [shadow, setShadow] = useState<ShadowLine | null>(null);
  const orient = useOperation('panoramas.orient', { id: panorama.id });
  const plate = plates.find((p) => p.id === plateId) ?? plates[0];
  const kept = solved?.sight && solved.sight.plateId === plate?.id ? solved.sight.picks : [];
  const picks = plate ? (picksOf[plate.id] ?? kept) : [];
  const setPicks = (changed: SightPick[]) => plate && setPicksOf((all) => ({ ...all, [plate.id]: changed }));
  const waiting = tapped && tapped.plateId === plate?.id ? { xPx: tapped.xPx, yPx: tapped.yPx } : null;
  const view = sightOf(take, plate, kit, location);
  const shownShare = useBlink(blink) ? 0 : Number(share);
  useTakeKeys(takes, take, onTake);
  if (!view || (take && !kit.lenses.some((l) => l.id === take.lensId)))
    return (
      <Notice
        state="doubtful"
        title="The take's camera is not in the kit"
        detail="Choose its recording format and lens in the log: the sight looks through them."
      />
    );
  const turn = quaternionOf(hand.turn);
  const failed = orient.error instanceof ApiError ? orient.error : null;
  const error = orient.error
    ? { message: orient.error.message, differ: failed?.problem.code === 'sources-differ' }
    : null;
  const keep = (turned: HandTurn, uncertaintyDeg: number, sun: boolean) =>
    orient.mutate({
      plateId: plate?.id ?? null,
      hand: { rotation: [...quaternionOf(turned)], uncertaintyDeg },
      sun,
    });
  const solve = (sun: boolean) =>
    orient.mutate(
      { plateId: plate?.id ?? null, picks, sun },
      {
        onSuccess: ({ orientation }) => orientation && hand.change(() => handTurnOf(orientation.rotation)),
      },
    );
  const placed = picks.map((p, k) => ({
    name: String(k + 1),
    xPx: p.xPx,
    yPx: p.yPx,
    turned: inSight(view, rotate(turn, directionFromAngles(p.panoramaAzimuthDeg, p.panoramaElevationDeg))),
  }));
  const picture = (
    <Panel>
      <SightPicture
        panorama={panorama}
        plate={plate}
        view={view}
        turn={turn}
        look={look}
        share={shownShare}
        stops={stops}
        gainStops={calibration?.scale?.adopted.value ?? null}
        hand={tool}
        picks={waiting ? [...placed, { name: String(picks.length + 1), ...waiting, turned: null }] : placed}
        shadow={shadow}
        onTurn={(dx, dy) =>
          hand.change((t) => dragged(t, headingOf(view), dx * degreesPerPx(view), dy * degreesPerPx(view)))
        }
        onTap={(xPx, yPx) => tool === 'pick' && plate && setTapped({ plateId: plate.id, xPx, yPx })}
        onShadow={setShadow}
      />
      <Row wrap gap={2} style={{ justifyContent: 'space-between' }}>
        <Choice label="How they lie over each other" options={LOOKS} value={look} onChange={setLook} />
        <Choice label="A drag does" options={HANDS} value={tool} onChange={setTool} />
      </Row>
      {plate && (look === 'opacity' || look === 'wipe') ? (
        <Row wrap gap={2}>
          <Choice
            label="Share of the panorama"
            options={SHARES}
            value={share as '0'}
            onChange={(v: string) => setShare(v)}
          />
          <Action title={blink ? 'Stop blinking' : 'Blink'} onPress={() => setBlink((b) => !b)} />
        </Row>
      ) : null}
      <ExposureSteps stops={stops} onChange={setStops} />
      <SightWords
        view={view}
        take={take}
        plate={plate}
        station={station}
        panorama={panorama}
        turn={turn}
        shadow={shadow}
        location={location}
      />
    </Panel>
  );
  const strip = (
    <Panel title="Panorama">
      <PanoramaStrip
        panorama={panorama}
        yawDeg={hand.turn.yawDeg}
        height={wide ? 220 : 170}
        start={{ azimuthDeg: headingOf(view), spanDeg: 110 }}
        onProbe={
          waiting
            ? ({ azimuthDeg, elevationDeg }) => {
                setPicks([
                  ...picks,
                  { ...waiting, panoramaAzimuthDeg: azimuthDeg, panoramaElevationDeg: elevationDeg, distanceM: null },
                ]);
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
        <Text tone="quietInk">No take yet: a lens of 54° across.</Text>
      )}
      {plates.length > 1 ? (
        <Choice
          label="Plate"
          options={plates.map((p) => ({ value: p.id, title: p.name }))}
          value={plate.id}
          onChange={setPlateId}
        />
      ) : null}
    </Panel>
  );
  const side = (
    <>
      {tool === 'pick' ? (
        <PicksPanel
          picks={picks}
          plate={plate !== undefined}
          waiting={waiting !== null}
          busy={orient.isPending}
          error={error}
          onChange={setPicks}
          onSolve={solve}
        />
      ) : (
        <TurnPanel hand={hand} calibration={calibration} error={error} busy={orient.isPending} onKeep={keep} />
      )}
    </>
  );
  return wide ? (
    <View style={{ flexDirection: 'row', gap: SPACE(4), alignItems: 'flex-start' }}>
      <View style={{ flex: 3, gap: SPACE(4) }}>
        {picture}
        {strip}
      </View>
      <View style={{ flex: 2, gap: SPACE(4) }}>
        {choices}
        {side}
      </View>
    </View>
  ) : (
    <>
      {picture}
      {tool === 'pick' ? strip : null}
      {side}
      {tool === 'pick' ? null : strip}
      {choices}
    </>
  );
}

const headingOf = (view: { attitude: readonly [number, number, number, number] }): number =>
  anglesFromDirection(rotate(view.attitude, [0, 0, -1])).azimuthDeg;
