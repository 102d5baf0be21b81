import { rotate } from '@tawny/core/orient/quaternion';
import { directionFromAngles, wrap180 } from '@tawny/core/sphere/direction';
import { sunPosition } from '@tawny/core/sun/ephemeris';
import { signed } from '@tawny/core/text/signed';
import { View } from 'react-native';
import type { Location, Orientation, Panorama, Plate, Take } from '@tawny/contract';
import { Text } from '../../ui/Text';
import { SPACE } from '../../ui/tokens';
import { headingWords } from '../../ui/words';
import type { ShadowLine } from './SightOverlay';
import { quaternionOf, shadowAzimuthDeg, whereInSight, type SightView } from './sightMath';

/** How the plate's proportions were read, where they are not the format's own. */
const FIT_WORDS: Partial<Record<SightView['fit'], string>> = {
  enlarged:
    'The plate has more pixels than its format: it is taken as enlarged. If it is overscan, choose a recording format that is as wide; strokes on the plate tell which it is.',
  desqueezed: 'The plate is brought back to its width already.',
  portrait: 'The camera lay on its side: the plate is as high as its format is wide.',
  cropped:
    'The plate is not in the format’s proportions: it is taken as the largest part of its middle. Strokes on the plate tell whether that is right.',
};

/** What the picture cannot show: what is not known of the camera, where the sun is, what a drawn shadow says. */
export function SightWords({
  view,
  take,
  plate,
  panorama,
  turn,
  shadow,
  location,
  heading,
}: {
  view: SightView;
  take: Take | undefined;
  plate: Plate | undefined;
  panorama: Panorama;
  turn: ReturnType<typeof quaternionOf>;
  shadow: ShadowLine | null;
  location: Location;
  /** Told in the sight, where it was not logged. */
  heading: Orientation['plateHeading'];
}) {
  const words: string[] = [];
  if (take && !plate) words.push('This take has no plate yet: the panorama alone is shown through its lens.');
  if (plate && take?.flopped) words.push('This plate is flopped: the panorama is shown mirrored with it.');
  if (plate && FIT_WORDS[view.fit]) words.push(FIT_WORDS[view.fit]!);
  if (take?.pictureCamera) words.push('The camera is as its own picture told.');
  if (heading) words.push(`It looks along ${headingWords(heading)}: picks told it, its heading was not logged.`);
  if (take && !view.headingKnown)
    words.push('The heading of the take was not logged: the plate looks along 0°, a set frame whose north is unknown.');
  if (take && !view.tiltKnown) words.push('Its tilt was not logged and is taken as level.');
  if (panorama.sun) {
    const own = rotate(turn, directionFromAngles(panorama.sun.azimuthDeg, panorama.sun.elevationDeg));
    const { rightDeg, upDeg } = whereInSight(view, own);
    const side = Math.abs(rightDeg) > 90 ? 'behind' : 'ahead';
    words.push(
      `Sun of the panorama: ${side}, ${Math.abs(rightDeg).toFixed(0)}° to the ${rightDeg < 0 ? 'left' : 'right'}, ${upDeg.toFixed(0)}° up.`,
    );
  }
  if (shadow && take) {
    const drawn = shadowAzimuthDeg(view, shadow);
    const sun = sunPosition(location, new Date(take.shotAt));
    words.push(
      drawn === null
        ? 'The shadow must lie on the ground, from its foot to its tip.'
        : `The drawn shadow runs to ${drawn.toFixed(1)}°; by the sun at the time of the take it runs to ${((sun.azimuthDeg + 180) % 360).toFixed(1)}°: ${signed(wrap180(drawn - sun.azimuthDeg - 180), 1)}° apart.`,
    );
  }
  return (
    <View style={{ gap: SPACE(1) }} testID="sight-words">
      {words.map((w) => (
        <Text key={w} size="small" tone="quietInk">
          {w}
        </Text>
      ))}
    </View>
  );
}
