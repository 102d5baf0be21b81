import type { Vec3 } from '@tawny/core';
import { checkShapes } from '@tawny/core/camera/checkShapes';
import { wrap360 } from '@tawny/core/sphere/direction';
import { Path } from 'react-native-svg';
import { Overlay } from '../../ui/Overlay';
import { HALO, PictureLabel } from '../../ui/PictureLabel';
import { horizonLine, type SightView } from '../sight/sightMath';
import { pathOnScreen, placeOnScreen } from '../sight/onScreen';
import { SurveyedSticks } from '../sight/SurveyedSticks';
import type { SurveyedThing } from '../sight/surveyedFrom';

/** Grid, poles, metre cube, horizon with bearings and surveyed things as the camera must show them: do they sit? */
export function CheckOverlay({
  view,
  width,
  height,
  headingDeg,
  heightM,
  gridM,
  surveyed,
}: {
  view: SightView;
  width: number;
  height: number;
  headingDeg: number;
  /** Of the lens over the ground; null: the horizon alone. */
  heightM: number | null;
  gridM: number;
  surveyed: readonly SurveyedThing[];
}) {
  const [sx, sy] = [width / view.widthPx, height / view.heightPx];
  const place = (p: Vec3) => placeOnScreen(view, width, height, p);
  const path = (points: readonly Vec3[]) => pathOnScreen(view, width, height, points);
  const horizon = horizonLine(view).filter((h) => h.xPx > -20 && h.xPx * sx < width + 20);
  const shapes = heightM === null ? [] : checkShapes(headingDeg, heightM, gridM);
  const grid = shapes.filter((s) => s.kind === 'grid').map((s) => path(s.points)).join(' '); // prettier-ignore
  const upright = shapes.filter((s) => s.kind !== 'grid').map((s) => path(s.points)).join(' '); // prettier-ignore
  return (
    <Overlay width={width} height={height}>
      <Path d={grid} stroke="#000" strokeOpacity={0.45} strokeWidth={2} fill="none" />
      <Path d={grid} stroke="#fff" strokeOpacity={0.75} strokeWidth={0.8} fill="none" />
      <Path d={upright} {...HALO} fill="none" />
      <Path d={upright} stroke="#fff" strokeWidth={1.4} fill="none" testID="check-shapes" />
      <Path
        d={horizon
          .map((h, i) => `${i === 0 ? 'M' : 'L'}${(h.xPx * sx).toFixed(1)},${(h.yPx * sy).toFixed(1)}`)
          .join(' ')}
        stroke="#fff"
        strokeWidth={1.2}
        strokeDasharray="8 4"
        fill="none"
      />
      {horizon
        .filter((h) => Math.round(h.azimuthDeg) % (horizon.length > 40 ? 10 : 5) === 0)
        .map((h) => (
          <PictureLabel
            key={h.azimuthDeg}
            x={h.xPx * sx}
            y={height - 6}
            text={`${wrap360(Math.round(h.azimuthDeg)).toFixed(0)}°`}
          />
        ))}
      {shapes
        .filter((s) => s.words !== '')
        .map((s, k) => {
          const at = place(s.points[s.points.length - 1]);
          return at && at.x > 0 && at.x < width && at.y > 0 && at.y < height ? (
            <PictureLabel key={k} x={at.x} y={at.y - 4} text={s.words} />
          ) : null;
        })}
      <SurveyedSticks view={view} width={width} height={height} surveyed={surveyed} />
    </Overlay>
  );
}
