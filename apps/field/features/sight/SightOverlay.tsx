import { memo } from 'react';
import type { Vec3 } from '@tawny/core';
import { wrap360 } from '@tawny/core/sphere/direction';
import { Circle, G, Line, Path } from 'react-native-svg';
import { Overlay } from '../../ui/Overlay';
import { HALO, PictureLabel } from '../../ui/PictureLabel';
import { horizonLine, whereInSight, type SightView } from './sightMath';
import { SurveyedSticks } from './SurveyedSticks';
import type { SurveyedThing } from './surveyedFrom';

/** A pick as the plate shows it: where it was tapped, and where the solved turn would have it. */
export interface PlacedPick {
  name: string;
  xPx: number;
  yPx: number;
  /** Where the panorama's direction lies in the plate; null behind the camera. */
  turned: { xPx: number; yPx: number } | null;
}

/** A shadow on the ground as it was drawn, from its foot to its tip: pixels of the plate. */
export interface ShadowLine {
  from: { x: number; y: number };
  to: { x: number; y: number };
}

const EDGE = 26;

/** Bearings along the horizon, named marks, the sun or the way to it, picks and a drawn shadow, over the plate. */
export function SightOverlay({
  view,
  width,
  height,
  sun,
  picks,
  shadow,
  surveyed,
}: {
  view: SightView;
  width: number;
  height: number;
  sun: Vec3 | null;
  picks: readonly PlacedPick[];
  shadow: ShadowLine | null;
  /** Marks of the plan and stations, where the camera's own place is known. */
  surveyed: readonly SurveyedThing[];
}) {
  const [sx, sy] = [width / view.widthPx, height / view.heightPx];
  const where = sun && whereInSight(view, sun);
  return (
    <Overlay width={width} height={height}>
      <Horizon view={view} width={width} height={height} />
      <SurveyedSticks view={view} width={width} height={height} surveyed={surveyed} />
      {where ? <Sun where={where} width={width} height={height} sx={sx} sy={sy} /> : null}
      {picks.map((p) => (
        <G key={p.name}>
          {p.turned ? (
            <Line
              x1={p.xPx * sx}
              y1={p.yPx * sy}
              x2={p.turned.xPx * sx}
              y2={p.turned.yPx * sy}
              stroke="#fff"
              strokeWidth={1.2}
            />
          ) : null}
          <Circle cx={p.xPx * sx} cy={p.yPx * sy} r={7} {...HALO} fill="none" />
          <Circle cx={p.xPx * sx} cy={p.yPx * sy} r={7} stroke="#fff" strokeWidth={1.6} fill="none" />
          <PictureLabel x={p.xPx * sx} y={p.yPx * sy - 12} text={p.name} within={width} />
        </G>
      ))}
      {shadow ? (
        <G>
          <Line x1={shadow.from.x * sx} y1={shadow.from.y * sy} x2={shadow.to.x * sx} y2={shadow.to.y * sy} {...HALO} />
          <Line
            x1={shadow.from.x * sx}
            y1={shadow.from.y * sy}
            x2={shadow.to.x * sx}
            y2={shadow.to.y * sy}
            stroke="#fff"
            strokeWidth={1.6}
          />
          <Circle cx={shadow.from.x * sx} cy={shadow.from.y * sy} r={4} fill="#fff" />
        </G>
      ) : null}
    </Overlay>
  );
}

/** The world's horizon with bearings along the lower edge: it stays while the panorama is turned. */
const Horizon = memo(({ view, width, height }: { view: SightView; width: number; height: number }) => {
  const [sx, sy] = [width / view.widthPx, height / view.heightPx];
  const horizon = horizonLine(view).map((h) => ({ az: h.azimuthDeg, x: h.xPx * sx, y: h.yPx * sy }));
  const seen = horizon.filter((h) => h.x > -20 && h.x < width + 20);
  const every = seen.length > 40 ? 10 : 5;
  const path = seen.map((h, i) => `${i === 0 ? 'M' : 'L'}${h.x.toFixed(1)},${h.y.toFixed(1)}`).join(' ');
  return (
    <>
      <Path d={path} {...HALO} fill="none" />
      <Path d={path} stroke="#fff" strokeWidth={1.2} fill="none" />
      {seen
        .filter((h) => Math.round(h.az) % every === 0)
        .map((h) => (
          <G key={h.az}>
            <Line x1={h.x} x2={h.x} y1={h.y - 5} y2={h.y + 5} {...HALO} />
            <Line x1={h.x} x2={h.x} y1={h.y - 5} y2={h.y + 5} stroke="#fff" strokeWidth={1.2} />
            <PictureLabel x={h.x} y={height - 6} text={`${wrap360(Math.round(h.az)).toFixed(0)}°`} />
          </G>
        ))}
    </>
  );
});
Horizon.displayName = 'Horizon';

/** The sun's place, or an arrow at the edge towards it with how far that is. */
function Sun({
  where,
  width,
  height,
  sx,
  sy,
}: {
  where: ReturnType<typeof whereInSight>;
  width: number;
  height: number;
  sx: number;
  sy: number;
}) {
  if (where.at)
    return (
      <G>
        <Circle cx={where.at.xPx * sx} cy={where.at.yPx * sy} r={11} {...HALO} fill="none" />
        <Circle cx={where.at.xPx * sx} cy={where.at.yPx * sy} r={11} stroke="#fff" strokeWidth={1.6} fill="none" />
        <PictureLabel x={where.at.xPx * sx} y={where.at.yPx * sy + 28} text="sun" />
      </G>
    );
  const right = where.rightDeg >= 0;
  const x = right ? width - EDGE : EDGE;
  const y = Math.max(EDGE, Math.min(height - 2 * EDGE, height / 2 - where.upDeg * 2));
  const tip = right ? 14 : -14;
  const behind = Math.abs(where.rightDeg) > 90 ? ', behind' : '';
  const text = `sun ${Math.abs(where.rightDeg).toFixed(0)}° ${right ? 'right' : 'left'}${behind}`;
  return (
    <G>
      <Path d={`M${x - tip},${y - 8} L${x + tip},${y} L${x - tip},${y + 8} Z`} {...HALO} fill="#fff" />
      <PictureLabel x={right ? width - 8 : 8} y={y + 26} text={text} anchor={right ? 'end' : 'start'} />
    </G>
  );
}
