import { View } from 'react-native';
import { cropFactor } from '@tawny/core/camera/depthOfField';
import { depthOfFieldOf, plateCamera, viewAnglesDeg } from '@tawny/core/camera/plateCamera';
import { DEFAULT_TRANSMISSION, ev100, shutterSeconds } from '@tawny/core/photometry/exposure';
import type { CameraBody, LensRecord, TakeInput } from '@tawny/contract';
import { Row, Reading } from '../../ui/Panel';
import { Figure, Text } from '../../ui/Text';

const metres = (m: number) => (m === Infinity ? '∞' : m > 99 ? m.toFixed(0) : m.toFixed(2));

/** What body, format, lens and focus make together. The f-number comes from the T-stop and the lens's transmission. */
export function LensFacts({ take, body, lens }: { take: TakeInput; body: CameraBody; lens: LensRecord }) {
  const format = body.formats.find((f) => f.name === take.formatName);
  if (!format || !(take.focalLengthMm > 0) || !(take.tStop > 0)) return null;
  const camera = plateCamera(take, format, lens);
  const view = viewAnglesDeg(camera);
  // Nearer than four focal lengths no image is formed.
  const focusM = take.focusM !== null && take.focusM * 1000 >= 4 * take.focalLengthMm ? take.focusM : null;
  const depth = depthOfFieldOf(camera, focusM ?? 1000)!;
  const exposure =
    take.shutterAngleDeg > 0 && take.shutterAngleDeg <= 360 && take.fps > 0 && take.ei > 0 && take.ndStops >= 0
      ? ev100({
          shutterS: shutterSeconds(take.shutterAngleDeg, take.fps),
          iso: take.ei,
          tStop: take.tStop,
          ndStops: take.ndStops,
        })
      : null;
  return (
    <View style={{ gap: 4 }}>
      <Row wrap gap={4} style={{ rowGap: 8 }}>
        <Reading label="Field of view">
          <Figure size="large" value={`${view.across.toFixed(1)} × ${view.up.toFixed(1)}`} unit="°" />
        </Reading>
        <Reading label="Sharp from, to">
          <Figure
            size="large"
            value={focusM === null ? '–' : `${metres(depth.nearM)}, ${metres(depth.farM)}`}
            unit="m"
          />
        </Reading>
        <Reading label="Hyperfocal">
          <Figure size="large" value={metres(depth.hyperfocalM)} unit="m" />
        </Reading>
        <Reading label="Crop factor">
          <Figure
            size="large"
            value={cropFactor(format.gateWidthMm * camera.squeeze, format.gateHeightMm).toFixed(2)}
            unit="×"
          />
        </Reading>
        <Reading label="Exposure">
          <Figure size="large" value={exposure === null ? '–' : exposure.toFixed(1)} unit="EV100" />
        </Reading>
      </Row>
      {lens.transmission === null ? (
        <Text size="small" tone="quietInk">
          {`Sharpness by a usual transmission of ${DEFAULT_TRANSMISSION}: the kit does not state that of ${lens.name}.`}
        </Text>
      ) : null}
    </View>
  );
}
