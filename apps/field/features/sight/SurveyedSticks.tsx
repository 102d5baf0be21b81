import { memo } from 'react';
import { G, Path } from 'react-native-svg';
import { HALO, PictureLabel } from '../../ui/PictureLabel';
import { pathOnScreen, placeOnScreen } from './onScreen';
import type { SightView } from './sightMath';
import type { SurveyedThing } from './surveyedFrom';

/** Surveyed things with their names where the camera must show them. */
export const SurveyedSticks = memo(
  ({
    view,
    width,
    height,
    surveyed,
  }: {
    view: SightView;
    width: number;
    height: number;
    surveyed: readonly SurveyedThing[];
  }) => (
    <>
      {surveyed.map((t) => {
        const top = placeOnScreen(view, width, height, t.top);
        const d = pathOnScreen(view, width, height, [t.foot, t.top]);
        return d && top ? (
          <G key={t.name} testID={`surveyed-${t.name}`}>
            <Path d={d} {...HALO} fill="none" />
            <Path d={d} stroke="#fff" strokeWidth={2} fill="none" />
            <PictureLabel x={top.x} y={top.y - 5} text={t.name} />
          </G>
        ) : null;
      })}
    </>
  ),
);
SurveyedSticks.displayName = 'SurveyedSticks';
