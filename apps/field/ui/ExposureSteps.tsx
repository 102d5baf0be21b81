import { signed } from '@tawny/core/text/signed';
import { memo, useCallback } from 'react';
import { Action } from './Action';
import { Row } from './Panel';
import { Figure } from './Text';

const THIRD = 1 / 3;
/** The buttons stay as they are while the value changes. */
const Step = memo(Action);

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
  const darker = useCallback(() => onChange((s) => s - THIRD), [onChange]);
  const brighter = useCallback(() => onChange((s) => s + THIRD), [onChange]);
  return (
    <Row gap={2}>
      <Step title="−⅓" onPress={darker} hint="Darker by a third of a stop" />
      <Figure value={signed(stops, 1)} unit="stop" testID={testID} />
      <Step title="+⅓" onPress={brighter} hint="Brighter by a third of a stop" />
    </Row>
  );
}
