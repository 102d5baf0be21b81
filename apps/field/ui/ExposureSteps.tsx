import { signed } from '@tawny/core';
import { Action } from './Action';
import { Row } from './Panel';
import { Figure } from './Text';

const THIRD = 1 / 3;

/** Exposure of a picture on the screen in thirds of a stop. */
export function ExposureSteps({
  stops,
  onChange,
  testID,
}: {
  stops: number;
  onChange: (change: (stops: number) => number) => void;
  testID?: string;
}) {
  return (
    <Row gap={2}>
      <Action title="−⅓" onPress={() => onChange((s) => s - THIRD)} hint="Darker by a third of a stop" />
      <Figure value={signed(stops, 1)} unit="stop" testID={testID} />
      <Action title="+⅓" onPress={() => onChange((s) => s + THIRD)} hint="Brighter by a third of a stop" />
    </Row>
  );
}
