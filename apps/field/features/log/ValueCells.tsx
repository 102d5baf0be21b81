import type { CameraBody, FilterRecord, LensRecord, Take, TakeInput } from '@tawny/contract';
import { SUPPORTS } from '@tawny/contract/takes';
import { View } from 'react-native';
import { Action } from '../../ui/Action';
import { Choice } from '../../ui/Choice';
import { Either } from '../../ui/Either';
import { Row } from '../../ui/Panel';
import { Many } from '../../ui/RecordForm';
import { OptionalStepper, Stepper } from '../../ui/Stepper';
import { Text } from '../../ui/Text';
import { EI, FOCAL_LENGTHS, FPS, ND, SHUTTER_ANGLES, T_STOPS, WHITE_BALANCES } from './scales';

export interface CellProps {
  take: TakeInput;
  /** The take this one was copied from. */
  last: Take | undefined;
  change: (part: Partial<TakeInput>) => void;
  fault: (field: string) => string | undefined;
  /** Numbers of a first take that nobody has said yet. */
  unstated?: readonly string[];
}

type NumberField = { [K in keyof TakeInput]: TakeInput[K] extends number ? K : never }[keyof TakeInput];
type OptionalField = 'heightM' | 'tiltDeg' | 'headingDeg' | 'focusM' | 'eastM' | 'northM';

interface CellSpec {
  label: string;
  unit?: string;
  scale?: readonly number[];
  step?: number;
  digits?: number;
  signed?: boolean;
}

function Cell({
  field,
  label,
  take,
  last,
  change,
  fault,
  unstated = [],
  ...rest
}: CellProps & CellSpec & { field: NumberField }) {
  return (
    <Stepper
      label={label}
      value={take[field]}
      was={last?.[field]}
      fault={fault(field)}
      source={take.fromFile[field]}
      unstated={unstated.includes(field)}
      onChange={(v) => change({ [field]: v })}
      {...rest}
    />
  );
}

function MaybeCell({
  field,
  start,
  label,
  take,
  last,
  change,
  fault,
  unstated: _asked,
  ...rest
}: CellProps & CellSpec & { field: OptionalField; start: number }) {
  return (
    <OptionalStepper
      label={label}
      value={take[field]}
      start={last?.[field] ?? start}
      was={last?.[field] ?? undefined}
      fault={fault(field)}
      source={take.fromFile[field]}
      onChange={(v) => change({ [field]: v })}
      {...rest}
    />
  );
}

const top = { alignItems: 'flex-start' } as const;

export function ExposureCells({ filters, ...cells }: CellProps & { filters: readonly FilterRecord[] }) {
  return (
    <>
      <Row wrap style={top}>
        <Cell {...cells} field="tStop" label="Stop" unit="T" scale={T_STOPS} />
        <Cell {...cells} field="ei" label="EI" scale={EI} />
        <Cell {...cells} field="shutterAngleDeg" label="Shutter" unit="°" scale={SHUTTER_ANGLES} />
        <Cell {...cells} field="fps" label="Frame rate" unit="fps" scale={FPS} digits={3} />
        <Cell {...cells} field="ndStops" label="ND" unit="stops" scale={ND} />
        <Cell {...cells} field="whiteBalanceK" label="White balance" unit="K" scale={WHITE_BALANCES} />
      </Row>
      {filters.length > 0 ? (
        <View>
          <Text size="small" tone="quietInk">
            Filters in front of the lens
          </Text>
          <Many
            label="Filters"
            options={filters.map((f) => ({ value: f.id, title: f.name }))}
            value={cells.take.filterIds}
            onChange={(filterIds) => cells.change({ filterIds })}
          />
        </View>
      ) : null}
    </>
  );
}

export function LensCells({
  bodies,
  lenses,
  ...cells
}: CellProps & { bodies: readonly CameraBody[]; lenses: readonly LensRecord[] }) {
  const { take, change, fault } = cells;
  const body = bodies.find((b) => b.id === take.bodyId) ?? bodies[0];
  const lens = lenses.find((l) => l.id === take.lensId) ?? lenses[0];
  return (
    <>
      <Choice
        label="Camera body"
        options={bodies.map((b) => ({ value: b.id, title: b.name }))}
        value={take.bodyId}
        onChange={(bodyId) => {
          const chosen = bodies.find((b) => b.id === bodyId)!;
          change({
            bodyId,
            ...(chosen.formats.some((f) => f.name === take.formatName) ? {} : { formatName: chosen.formats[0].name }),
          });
        }}
      />
      <Choice
        label="Recording format"
        options={body.formats.map((f) => ({ value: f.name, title: f.name }))}
        value={take.formatName}
        onChange={(formatName) => change({ formatName })}
      />
      {fault('formatName') ? (
        <Text tone="madder" size="small">
          {fault('formatName')!}
        </Text>
      ) : null}
      <Choice
        label="Lens"
        options={lenses.map((l) => ({ value: l.id, title: l.name }))}
        value={take.lensId}
        onChange={(lensId) => {
          const chosen = lenses.find((l) => l.id === lensId)!;
          const inside = take.focalLengthMm >= chosen.focalMinMm && take.focalLengthMm <= chosen.focalMaxMm;
          change({ lensId, focalMeasured: false, ...(inside ? {} : { focalLengthMm: chosen.focalMinMm }) });
        }}
      />
      <Row wrap style={top}>
        <Cell {...cells} field="focalLengthMm" label="Focal length" unit="mm" scale={FOCAL_LENGTHS} digits={1} />
        <MaybeCell {...cells} field="focusM" label="Focus" unit="m" step={0.1} start={lens.closeFocusM * 4} />
      </Row>
      {lens.kind === 'zoom' ? (
        <Either
          label="Focal length known from"
          yes="Measured or lens data"
          no="Read off the barrel"
          noFirst
          value={take.focalMeasured}
          onChange={(v) => change({ focalMeasured: v })}
        />
      ) : null}
    </>
  );
}

const SUPPORT_TITLES: Record<(typeof SUPPORTS)[number], string> = {
  lockedOff: 'Locked off',
  handheld: 'Handheld',
  dolly: 'Dolly',
  crane: 'Crane',
  car: 'Car',
};

const pacedWords = ({ aheadM, rightM, upM, withinM }: NonNullable<TakeInput['stationOffset']>): string =>
  `The station lay ${side(aheadM, 'ahead', 'behind')}, ${side(rightM, 'to the right', 'to the left')}, ${side(upM, 'higher', 'lower')}, paced within ${withinM} m.`;
const side = (m: number, more: string, less: string) => `${Math.abs(m)} m ${m < 0 ? less : more}`;

export function PlaceCells(cells: CellProps) {
  const { take, change } = cells;
  return (
    <>
      <Row wrap style={top}>
        <MaybeCell {...cells} field="heightM" label="Lens height" unit="m" step={0.05} start={1.5} />
        <MaybeCell {...cells} field="tiltDeg" label="Tilt" signed unit="°" step={0.5} digits={1} start={0} />
        <MaybeCell
          {...cells}
          field="headingDeg"
          label={`Heading, ${take.headingNorth}`}
          unit="°"
          step={1}
          digits={1}
          start={0}
        />
        <MaybeCell {...cells} field="eastM" label="East of origin" signed unit="m" step={0.1} start={0} />
        <MaybeCell {...cells} field="northM" label="North of origin" signed unit="m" step={0.1} start={0} />
      </Row>
      {take.stationOffset ? (
        <Row wrap style={{ justifyContent: 'space-between' }}>
          <Text size="small" tone="quietInk" testID="paced-words">
            {pacedWords(take.stationOffset)}
          </Text>
          <Action
            title="The camera moved"
            hint="Forgets what was paced"
            onPress={() => change({ stationOffset: null })}
          />
        </Row>
      ) : null}
      <Choice
        label="Heading is"
        options={[
          { value: 'true', title: 'True north' },
          { value: 'magnetic', title: 'Magnetic' },
        ]}
        value={take.headingNorth}
        onChange={(headingNorth) => change({ headingNorth })}
      />
      <Choice
        label="Support"
        options={SUPPORTS.map((s) => ({ value: s, title: SUPPORT_TITLES[s] }))}
        value={take.support}
        onChange={(support) => change({ support })}
      />
    </>
  );
}
