import { fieldOfViewDeg } from '@tawny/core/camera/fieldOfView';
import { squeezeOf } from '@tawny/core/camera/plateCamera';
import type { CameraBody, LensRecord } from '@tawny/contract';
import { Choice } from '../../ui/Choice';
import { Row } from '../../ui/Panel';
import { Stepper } from '../../ui/Stepper';
import { Text } from '../../ui/Text';
import type { PlannedCamera } from './plannedCamera';

/** The camera that a panorama is looked at through before there is a take: a recording format and a lens of the kit, and where it looks. */
export function PlanningLens({
  kit,
  planned,
  onChange,
}: {
  kit: { bodies: readonly CameraBody[]; lenses: readonly LensRecord[] };
  planned: PlannedCamera;
  onChange: (planned: PlannedCamera) => void;
}) {
  const { format, lens, focalLengthMm } = planned;
  const formats = kit.bodies.flatMap((b) => b.formats.map((f) => ({ name: `${b.name}, ${f.name}`, format: f })));
  const across = fieldOfViewDeg(format.gateWidthMm, focalLengthMm, squeezeOf(format, lens));
  const lenses = kit.lenses.filter((l) => l.kind !== 'fisheye');
  return (
    <>
      <Text size="small" tone="quietInk" testID="planning-words">
        {`No take yet: ${lens.name} at ${focalLengthMm} mm sees ${across.toFixed(0)}° across.`}
      </Text>
      <Text size="small" tone="quietInk">
        Body and recording format
      </Text>
      <Choice
        label="Recording format"
        options={formats.map((f, k) => ({ value: String(k), title: f.name }))}
        value={String(formats.findIndex((f) => f.format === format))}
        onChange={(k) => onChange({ ...planned, format: formats[Number(k)].format })}
      />
      <Text size="small" tone="quietInk">
        Lens
      </Text>
      <Choice
        label="Lens"
        options={lenses.map((l) => ({ value: l.id, title: l.name }))}
        value={lens.id}
        onChange={(id) => {
          const chosen = lenses.find((l) => l.id === id)!;
          onChange({ ...planned, lens: chosen, focalLengthMm: within(chosen, focalLengthMm) });
        }}
      />
      <Row wrap style={{ alignItems: 'flex-start' }}>
        {lens.focalMinMm < lens.focalMaxMm ? (
          <Stepper
            label="Focal length"
            unit="mm"
            value={focalLengthMm}
            digits={1}
            onChange={(v) => onChange({ ...planned, focalLengthMm: within(lens, v) })}
          />
        ) : null}
        <Stepper
          label="It looks along"
          unit="°"
          value={planned.headingDeg}
          step={5}
          digits={1}
          onChange={(v) => onChange({ ...planned, headingDeg: ((v % 360) + 360) % 360 })}
        />
        <Stepper
          label="Tilt"
          signed
          unit="°"
          value={planned.tiltDeg}
          digits={1}
          onChange={(v) => onChange({ ...planned, tiltDeg: Math.max(-89, Math.min(89, v)) })}
        />
      </Row>
    </>
  );
}

const within = (lens: LensRecord, mm: number): number => Math.max(lens.focalMinMm, Math.min(lens.focalMaxMm, mm));
