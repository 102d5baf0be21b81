import { useMemo, useState } from 'react';
import type { CameraBody, LensRecord, Location, Plate, PlateCameraRecord, Take } from '@tawny/contract';
import { useOperation } from '../../data/queries';
import { Choice } from '../../ui/Choice';
import { Columns } from '../../ui/Columns';
import { Either } from '../../ui/Either';
import { Notice } from '../../ui/Notice';
import { Panel, Row } from '../../ui/Panel';
import { Stepper } from '../../ui/Stepper';
import { Text } from '../../ui/Text';
import { headingOf, sightOf } from '../sight/sightMath';
import { CheckOverlay } from './CheckOverlay';
import type { SurveyedThing } from '../sight/surveyedFrom';
import { FamiliesPanel, TOOLS, type StrokeTool } from './FamiliesPanel';
import { FoundCamera } from './FoundCamera';
import { drawnOf, MARKS, NOTHING_DRAWN, strokeAt, strokeCount, withStroke } from './plateStrokes';
import { carrying, solveStrokes } from './solveStrokes';
import { StrokesPicture } from './StrokesPicture';
import { usePlateStrokes } from './usePlateStrokes';

/** A length that somebody just drew, metres. */
const FIRST_LENGTH_M = 1;
const GRID_SIZES = [0.25, 0.5, 1, 2, 5, 10];

/** Strokes on one plate, what they tell, and whether grid, poles and cube sit when it is believed. */
export function PlateCameraWork({
  take,
  plate,
  carried,
  kit,
  location,
  surveyed,
}: {
  take: Take;
  plate: Plate;
  carried: PlateCameraRecord | null;
  kit: { bodies: readonly CameraBody[]; lenses: readonly LensRecord[] };
  location: Location;
  /** Surveyed things from a camera at its logged place and a height. */
  surveyed: (heightM: number) => SurveyedThing[];
}) {
  const own = carried?.plateId === plate.id ? carried : null;
  const strokes = usePlateStrokes(plate.id, own && drawnOf(own.strokes));
  const [tool, setTool] = useState<StrokeTool>('0');
  const [chosen, setChosen] = useState<{ family: number; stroke: number } | null>(null);
  const [check, setCheck] = useState(false);
  const [snapping, setSnapping] = useState(true);
  const [gridM, setGridM] = useState(1);
  const [missed, setMissed] = useState(false);
  const measure = useOperation('plates.measureCamera', { id: plate.id });
  const drop = useOperation('plates.dropCamera', { id: take.id });
  const { drawn } = strokes;
  const solved = useMemo(() => solveStrokes(drawn, take, plate, kit, location), [drawn, take, plate, kit, location]);
  const found = solved && 'found' in solved ? solved.found : null;
  const shown = found ? carrying(take, found) : take;
  const view = sightOf(shown, plate, kit, location);
  if (!view)
    return (
      <Notice
        state="doubtful"
        title="The take's camera is not in the kit"
        detail="Choose its recording format and lens in the log: strokes are measured on its gate."
      />
    );
  const heightM = shown.pictureCamera?.heightM ?? take.heightM;
  const outliers = new Set(found?.strokes.filter((s) => s.outlier).map((s) => `${s.family}.${s.stroke}`));
  const picture = (
    <Panel>
      <StrokesPicture
        plate={plate}
        squeeze={view.squeeze}
        // What is drawn would hide whether it sits.
        drawn={check ? NOTHING_DRAWN : drawn}
        outliers={outliers}
        chosen={chosen}
        snapping={snapping && tool !== 'length'}
        onStroke={(stroke, snapped) => {
          setChosen(null);
          setMissed(snapping && tool !== 'length' && !snapped);
          const [x1, y1, x2, y2] = stroke;
          strokes.change(
            tool === 'length'
              ? {
                  ...drawn,
                  knownLength: {
                    lengthM: FIRST_LENGTH_M,
                    lying: 'ground',
                    ...drawn.knownLength,
                    from: [x1, y1],
                    to: [x2, y2],
                  },
                }
              : withStroke(drawn, Number(tool), stroke),
          );
        }}
        onTap={(x, y, reach) => setChosen(strokeAt(drawn, x, y, reach))}
      >
        {(width, height) =>
          check ? (
            <CheckOverlay
              view={view}
              width={width}
              height={height}
              headingDeg={headingOf(view)}
              heightM={heightM !== null && heightM > 0 ? heightM : null}
              gridM={gridM}
              surveyed={view.headingKnown && heightM !== null ? surveyed(heightM) : []}
            />
          ) : null
        }
      </StrokesPicture>
      <Choice label="What a drag draws" options={TOOLS} value={tool} onChange={setTool} />
      <Row wrap gap={2} style={{ justifyContent: 'space-between' }}>
        <Either label="Over the plate" yes="Does it sit?" no="Strokes" noFirst value={check} onChange={setCheck} />
        <Either label="A stroke is" yes="Laid on its edge" no="As drawn" value={snapping} onChange={setSnapping} />
      </Row>
      {missed ? (
        <Text size="small" tone="quietInk">
          No straight edge stands out beside the last stroke: it stays as it was drawn.
        </Text>
      ) : null}
      {check ? (
        heightM === null || heightM <= 0 ? (
          <Text size="small" tone="ochre">
            Grid, poles and cube want the lens height: log it, or draw a length that is known.
          </Text>
        ) : (
          <>
            <Row>
              <Stepper
                label="Squares of the grid"
                unit="m"
                value={gridM}
                scale={GRID_SIZES}
                digits={2}
                onChange={(v) => setGridM(Math.max(0.05, v))}
              />
            </Row>
            <Text size="small" tone="quietInk">
              {`Poles of 3 m with a bar every metre, a metre cube, the lens ${heightM.toFixed(2)} m over level ground${view.headingKnown ? '' : '; bearings from the way the camera looks, its heading is not known'}.`}
            </Text>
          </>
        )
      ) : null}
    </Panel>
  );
  const side = (
    <>
      <FoundCamera
        take={take}
        solved={solved}
        carried={own}
        busy={measure.isPending || drop.isPending}
        error={measure.error ?? drop.error}
        onKeep={() =>
          measure.mutate(
            { ...drawn, families: drawn.families.slice(0, lastUsed(drawn.families) + 1) },
            { onSuccess: strokes.settle },
          )
        }
        onDrop={() => drop.mutate({})}
      />
      <FamiliesPanel
        drawn={drawn}
        tool={tool}
        chosen={chosen}
        canUndo={strokes.canUndo}
        onChange={strokes.change}
        onChosen={setChosen}
        onUndo={strokes.undo}
      />
    </>
  );
  const head = strokeCount(drawn) === 0 ? <Text tone="quietInk">{`Draw with ${MARKS.join(' ')}: each is a family of edges that are parallel in the world.`}</Text> : null; // prettier-ignore
  return (
    <Columns
      shares={[3, 2]}
      left={
        <>
          {picture}
          {head}
        </>
      }
      right={side}
    />
  );
}

const lastUsed = (families: readonly { strokes: readonly unknown[] }[]): number =>
  families.reduce((last, f, k) => (f.strokes.length > 0 ? k : last), 0);
