import { View } from 'react-native';
import type { LightRound, Panorama, PanoramaRig } from '@tawny/contract';
import type { Projection } from '@tawny/core';
import { responseDifferenceStops } from '@tawny/core/merge/responseTables';
import { radiusOfAngle } from '@tawny/core/optics/lens';
import { logVignetting } from '@tawny/core/stitch/view';
import { signed } from '@tawny/core/text/signed';
import { useAllRounds, usePanoramas, useRigs } from '../../data/queries';
import { Fold } from '../../ui/Fold';
import { Text } from '../../ui/Text';
import { SPACE } from '../../ui/tokens';
import { BeginWithIt } from '../kit/BeginWithIt';

type Learned = NonNullable<Panorama['learned']>;
/** What the rig's round before taught, and what that one is called. */
interface Earlier {
  name: string;
  learned: Learned;
}
/** Responses are recovered to this, stops. */
const SAME_RESPONSE = 0.1;

/** How much longer one focal length is than another, as a share, by the fields of view that they make of one extent. */
export function focalChange(projection: Projection, fovDeg: number, againstDeg: number): number {
  const radius = (fov: number) => radiusOfAngle(projection, (fov * Math.PI) / 360);
  return radius(againstDeg) / radius(fovDeg) - 1;
}

const percent = (share: number, against: string) =>
  Math.abs(share) < 0.0005
    ? `as long as ${against}`
    : `${(100 * Math.abs(share)).toFixed(1)} % ${share > 0 ? 'longer' : 'shorter'} than ${against}`;

/** What the build learnt of the rig, beside what was stated and what the rig's earlier rounds taught; offered to the kit. */
export function RigLearned({ round, panorama }: { round: LightRound; panorama: Panorama }) {
  const rigs = useRigs();
  const rounds = useAllRounds();
  const panoramas = usePanoramas();
  const { learned } = panorama;
  if (!learned || round.rig.projection === 'latlong') return null;
  const { projection } = round.rig;
  const rig = rigs.data?.find((r) => r.id === round.rigId);
  const earlier = earlierOf(panorama, round, panoramas.data ?? [], rounds.data ?? []);
  const stated = percent(focalChange(projection, learned.fovDeg, learned.statedFovDeg), 'stated');
  const summary = `Focal length ${stated} ± ${(100 * learned.focalUncertainty).toFixed(1)} %`;
  return (
    <Fold title="What it taught of the rig" summary={summary}>
      <View style={{ gap: SPACE(2) }}>
        {[...(earlier ? changes(projection, learned, earlier) : []), ...lines(learned)].map((line) => (
          <Text key={line} size="small">
            {line}
          </Text>
        ))}
        {rig ? <Keep rig={rig} learned={learned} /> : null}
      </View>
    </Fold>
  );
}

/** What changed since the rig's round before: the lens, and what the camera makes of light. */
function changes(projection: Projection, now: Learned, { name, learned }: Earlier): string[] {
  const focal = `Focal length ${percent(focalChange(projection, now.fovDeg, learned.fovDeg), name)}`;
  const stops = now.response && learned.response && responseDifferenceStops(now.response, learned.response);
  if (stops === null) return [focal];
  return [
    focal,
    `Response ${stops < SAME_RESPONSE ? 'as' : `up to ${stops.toFixed(2)} stop from what it was`} ${name}`,
  ];
}

/** One line for each thing that was measured; what was left as stated is not said to be known. */
function lines(l: Learned): string[] {
  const off = l.exposureFactors.map((f) => `${signed(100 * (f - 1), 1)} %`);
  return [
    `Field of view ${l.fovDeg.toFixed(2)}° of the projection, stated ${l.statedFovDeg.toFixed(2)}°`,
    `Departure from the projection ${l.poly.map((k) => signed(k, 4)).join(', ')}`,
    l.falloff ? falloffLine(l.falloff) : null,
    `Entrance pupil ${signed(l.pupilMmPerM, 0)} mm ahead of the axis for every metre of its height`,
    l.exposureFactors.every((f) => f === 1) ? null : `Exposures against their tags, longest first: ${off.join(', ')}`,
    l.responseDepartureStops === null
      ? null
      : `The response departs from the stated curve by up to ${l.responseDepartureStops.toFixed(2)} stop`,
  ].filter((line): line is string => line !== null);
}

/** How much darker the lens is at a right angle to its axis. */
function falloffLine({ terms, uncertaintyStops }: NonNullable<Learned['falloff']>): string {
  const stops = logVignetting(terms, Math.PI / 2) / Math.LN2;
  return `Falloff ${signed(stops, 2)} ± ${uncertaintyStops.toFixed(2)} stop at 90° off its axis`;
}

/** The rig's round before this one that taught something. */
function earlierOf(
  panorama: Panorama,
  round: LightRound,
  panoramas: readonly Panorama[],
  rounds: readonly LightRound[],
): Earlier | null {
  if (round.rigId === null) return null;
  const of = (p: Panorama) => rounds.find((r) => r.id === p.roundId);
  const found = panoramas
    .filter(
      (p) => p.learned && p.roundId !== round.id && of(p)?.rigId === round.rigId && p.createdAt < panorama.createdAt,
    )
    .sort((a, b) => b.createdAt.localeCompare(a.createdAt))[0];
  return found ? { name: `in ${of(found)!.name} before`, learned: found.learned! } : null;
}

/** Makes what was learnt the start of the next round. */
function Keep({ rig, learned }: { rig: PanoramaRig; learned: Learned }) {
  const { fovDeg, poly, focalUncertainty, falloff, pupilMmPerM, response } = learned;
  const next = {
    poly,
    focalUncertainty,
    falloff,
    pupilMmPerM,
    // A round that told too little of the response takes nothing away from what is known.
    response: response ?? rig.statement.learned?.response,
  };
  const kept = rig.statement.fovDeg === fovDeg && rig.statement.learned?.poly[0] === poly[0];
  return <BeginWithIt rig={rig} learned={{ fovDeg, learned: next }} kept={kept} />;
}
