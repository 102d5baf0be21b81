import type { CameraOfPlate } from '@tawny/core';
import type { PlateCameraRecord, Take } from '@tawny/contract';
import { Action } from '../../ui/Action';
import { Notice } from '../../ui/Notice';
import { Panel, Reading, Row } from '../../ui/Panel';
import { RestsOn } from '../../ui/RestsOn';
import { StateMark } from '../../ui/StateMark';
import { Figure, Text } from '../../ui/Text';
import { sentence } from '../../ui/words';

type Told = {
  focalLengthMm: number | null;
  tiltDeg: number;
  rollDeg: number;
  headingDeg: number | null;
  heightM: number | null;
};

/** What the strokes tell beside what is logged, whether they agree and why not, and what the take carries. */
export function FoundCamera({
  take,
  solved,
  carried,
  busy,
  error,
  onKeep,
  onDrop,
}: {
  take: Take;
  solved: { found: CameraOfPlate } | { fault: string } | null;
  /** What the take carries already, when its picture told. */
  carried: PlateCameraRecord | null;
  busy: boolean;
  error: Error | null;
  onKeep: () => void;
  onDrop: () => void;
}) {
  const found = solved && 'found' in solved ? solved.found : null;
  const asides = found ? found.strokes.filter((s) => s.outlier).length : 0;
  return (
    <Panel
      title="Camera"
      aside={
        <StateMark state={take.pictureCamera ? 'complete' : 'open'} word={take.pictureCamera ? 'Measured' : 'Logged'} />
      }
    >
      {found ? (
        <Values
          take={take}
          told={{ ...found, heightM: found.upM }}
          within={{ ...found.uncertainty, heightM: found.uncertainty.upM }}
        />
      ) : (
        <Text tone="quietInk" testID="strokes-words">
          {solved && 'fault' in solved
            ? solved.fault
            : 'Drag along edges that are parallel in the world: upright ones tell tilt and roll, level ones that run two ways the focal length, too.'}
        </Text>
      )}
      {found?.degenerate ? <Notice state="open" title="Not told yet" detail={sentence(found.degenerate)} /> : null}
      {found?.verdict === 'disagrees' ? (
        <Notice
          state="doubtful"
          title="The picture differs from the log"
          detail={sentence(found.cause!)}
          testID="strokes-differ"
        />
      ) : null}
      {asides > 0 ? (
        <Text
          size="small"
          tone="ochre"
        >{`${asides} ${asides === 1 ? 'stroke lies' : 'strokes lie'} off the others and ${asides === 1 ? 'is' : 'are'} set aside (dashed).`}</Text>
      ) : null}
      {found ? (
        <Text
          size="small"
          tone="quietInk"
        >{`Strokes miss their vanishing points by ${found.residualPx.toFixed(1)} px of the plate.`}</Text>
      ) : null}
      {carried ? <RestsOn basis={carried.basis} again="Measure it again from the strokes." /> : null}
      {error ? <Notice state="doubtful" title="The camera was not kept" detail={error.message} /> : null}
      <Row wrap>
        {found?.attitudeTold ? (
          <Action grow kind="main" title="The take carries this camera" busy={busy} onPress={onKeep} />
        ) : null}
        {take.pictureCamera ? <Action title="Back to what is logged" busy={busy} onPress={onDrop} /> : null}
      </Row>
    </Panel>
  );
}

const ROWS = [
  { key: 'focalLengthMm', logged: 'focalLengthMm', label: 'Focal length', unit: 'mm', digits: 1 },
  { key: 'tiltDeg', logged: 'tiltDeg', label: 'Tilt', unit: '°', digits: 2 },
  { key: 'rollDeg', logged: null, label: 'Roll', unit: '°', digits: 2 },
  { key: 'headingDeg', logged: 'headingDeg', label: 'Heading', unit: '°', digits: 1 },
  { key: 'heightM', logged: 'heightM', label: 'Lens height', unit: 'm', digits: 2 },
] as const;

function Values({ take, told, within }: { take: Take; told: Told; within: Record<keyof Told, number | null> }) {
  return (
    <Row wrap gap={5}>
      {ROWS.map(({ key, logged, label, unit, digits }) => {
        const value = told[key];
        const half = within[key];
        const log = logged === null ? null : take[logged];
        if (value === null && log === null) return null;
        return (
          <Reading
            key={key}
            label={log === null ? `${label}, not logged` : `${label}, logged ${log}${unit === '°' ? '' : ' '}${unit}`}
          >
            {value === null ? (
              <Text tone="quietInk">not told</Text>
            ) : (
              <Figure
                value={value.toFixed(digits)}
                unit={unit}
                plusMinus={half === null ? undefined : `${half.toFixed(digits)}${unit === '°' ? '°' : ''}`}
                size="large"
                testID={`found-${key}`}
              />
            )}
          </Reading>
        );
      })}
    </Row>
  );
}
