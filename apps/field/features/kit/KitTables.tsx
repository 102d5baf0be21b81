import { View } from 'react-native';
import type { FilterRecord, LensRecord, PanoramaRig, RigStatement } from '@tawny/contract';
import { PROJECTIONS } from '@tawny/contract/kit';
import { cropFactor } from '@tawny/core/camera/depthOfField';
import { depthOfFieldOf, plateCamera, squeezeOf, viewAnglesDeg } from '@tawny/core/camera/plateCamera';
import { useBodies, useLenses } from '../../data/queries';
import { Action } from '../../ui/Action';
import { Choice } from '../../ui/Choice';
import { Row } from '../../ui/Panel';
import { Stepper } from '../../ui/Stepper';
import { Text } from '../../ui/Text';
import { SPACE } from '../../ui/tokens';

const top = { alignItems: 'flex-start' } as const;

/** Measured density of a filter, channel by channel; until then the engraving counts. */
export function MeasuredDensity({
  filter,
  onChange,
}: {
  filter: FilterRecord;
  onChange: (part: Partial<FilterRecord>) => void;
}) {
  const d = filter.measuredDensity;
  if (!d) {
    return (
      <Row>
        <Action
          title="Enter the measured density"
          onPress={() => onChange({ measuredDensity: [filter.density, filter.density, filter.density] })}
        />
      </Row>
    );
  }
  return (
    <View style={{ gap: SPACE(2) }}>
      <Row wrap style={top}>
        {['red', 'green', 'blue'].map((name, c) => (
          <Stepper
            key={name}
            label={`Density, ${name}`}
            value={d[c]}
            step={0.01}
            digits={3}
            onChange={(v) =>
              onChange({ measuredDensity: d.map((x, i) => (i === c ? v : x)) as [number, number, number] })
            }
          />
        ))}
      </Row>
      <Row>
        <Action title="Only the engraving counts" onPress={() => onChange({ measuredDensity: null })} />
      </Row>
    </View>
  );
}

/** Distance from the sensor plane to the entrance pupil at focal lengths. */
export function EntrancePupil({ lens, onChange }: { lens: LensRecord; onChange: (part: Partial<LensRecord>) => void }) {
  const rows = lens.entrancePupil;
  const set = (index: number, part: Partial<LensRecord['entrancePupil'][number]>) =>
    onChange({ entrancePupil: rows.map((r, i) => (i === index ? { ...r, ...part } : r)) });
  return (
    <View style={{ gap: SPACE(2) }}>
      <Text size="small" tone="quietInk">
        Entrance pupil, from the sensor plane forward
      </Text>
      {rows.map((r, i) => (
        <Row key={i} wrap style={top}>
          <Stepper
            label="At focal length"
            unit="mm"
            value={r.focalMm}
            step={1}
            digits={1}
            onChange={(focalMm) => set(i, { focalMm })}
          />
          <Stepper
            label="Pupil ahead"
            signed
            unit="mm"
            value={r.distanceMm}
            step={1}
            digits={1}
            onChange={(distanceMm) => set(i, { distanceMm })}
          />
          <Action title="Remove" onPress={() => onChange({ entrancePupil: rows.filter((_, k) => k !== i) })} />
        </Row>
      ))}
      <Row>
        <Action
          title="Add a focal length"
          onPress={() =>
            onChange({
              entrancePupil: [
                ...rows,
                { focalMm: lens.focalMinMm, distanceMm: rows[rows.length - 1]?.distanceMm ?? 80 },
              ],
            })
          }
        />
      </Row>
    </View>
  );
}

const COEFFICIENTS = ['k1', 'k2', 'p1', 'p2', 'k3'] as const;

/** Distortion once solved: Brown-Conrady, from ideal to distorted. */
export function SolvedDistortion({
  lens,
  onChange,
}: {
  lens: LensRecord;
  onChange: (part: Partial<LensRecord>) => void;
}) {
  const d = lens.distortion;
  if (!d) {
    return (
      <Row wrap>
        <Text size="small" tone="quietInk">
          Distortion not solved yet
        </Text>
        <Action
          title="Enter its coefficients"
          onPress={() =>
            onChange({ distortion: { focalMm: lens.focalMinMm, idealToDistorted: [0, 0, 0, 0, 0], solvedOn: null } })
          }
        />
      </Row>
    );
  }
  const set = (part: Partial<typeof d>) => onChange({ distortion: { ...d, ...part } });
  return (
    <View style={{ gap: SPACE(2) }}>
      <Text size="small" tone="quietInk">
        Distortion, ideal to distorted, on coordinates in focal lengths
      </Text>
      <Row wrap style={top}>
        <Stepper
          label="Solved at"
          unit="mm"
          value={d.focalMm}
          step={1}
          digits={1}
          onChange={(focalMm) => set({ focalMm })}
        />
        {COEFFICIENTS.map((name, k) => (
          <Stepper
            key={name}
            label={name}
            signed
            value={d.idealToDistorted[k]}
            step={0.001}
            digits={6}
            onChange={(v) =>
              set({
                idealToDistorted: d.idealToDistorted.map((x, i) => (i === k ? v : x)) as typeof d.idealToDistorted,
              })
            }
          />
        ))}
      </Row>
      <Row>
        <Action title="Without distortion" onPress={() => onChange({ distortion: null })} />
      </Row>
    </View>
  );
}

/** A lens in the kit stands nowhere. */
const UNPLACED = { focusM: null, eastM: null, northM: null, heightM: null, tiltDeg: null, headingDeg: null };

/** What the lens makes of every recording format of the kit. */
export function LensReach({ lens }: { lens: LensRecord }) {
  const { data: bodies = [] } = useBodies();
  if (lens.kind === 'fisheye' || !(lens.focalMinMm > 0) || !(lens.tMin > 0)) return null;
  if (lens.transmission !== null && !(lens.transmission > 0)) return null;
  const ends = lens.focalMinMm === lens.focalMaxMm ? [lens.focalMinMm] : [lens.focalMinMm, lens.focalMaxMm];
  const rows = bodies.flatMap((b) =>
    b.formats.map((f) => {
      const cameras = ends.map((focalLengthMm) =>
        plateCamera({ ...UNPLACED, focalLengthMm, tStop: lens.tMin }, f, lens),
      );
      const across = cameras.map((c) => viewAnglesDeg(c).across.toFixed(1)).join('–');
      const near = cameras.map((c) => depthOfFieldOf(c, 1000)!.hyperfocalM.toFixed(1)).join('–');
      return {
        key: `${b.id}${f.name}`,
        name: `${b.name}, ${f.name}`,
        facts: `${across}° across · hyperfocal ${near} m at T${lens.tMin} · crop ${cropFactor(f.gateWidthMm * squeezeOf(f, lens), f.gateHeightMm).toFixed(2)} ×`,
      };
    }),
  );
  return (
    <View style={{ gap: SPACE(1) }}>
      <Text size="small" tone="quietInk">
        On the formats of the kit
      </Text>
      {rows.map((r) => (
        <View key={r.key}>
          <Text size="small" strong>
            {r.name}
          </Text>
          <Text size="small" tone="quietInk">
            {r.facts}
          </Text>
        </View>
      ))}
    </View>
  );
}

/** What a panorama rig is made of and how it is shot. */
export function RigParts({ rig, onChange }: { rig: PanoramaRig; onChange: (part: Partial<PanoramaRig>) => void }) {
  const bodies = useBodies().data ?? [];
  const lenses = useLenses().data ?? [];
  const s = rig.statement;
  const set = (part: Partial<RigStatement>) => onChange({ statement: { ...s, ...part } });
  return (
    <View style={{ gap: SPACE(3) }}>
      {rig.kind === 'bodyAndLens' ? (
        <>
          <Choice
            label="Camera body of the rig"
            options={bodies.map((b) => ({ value: b.id, title: b.name }))}
            value={rig.bodyId ?? ''}
            onChange={(bodyId) => onChange({ bodyId })}
          />
          <Choice
            label="Lens of the rig"
            options={lenses.map((l) => ({ value: l.id, title: l.name }))}
            value={rig.lensId ?? ''}
            onChange={(lensId) => {
              const lens = lenses.find((l) => l.id === lensId)!;
              onChange({
                lensId,
                statement: {
                  ...s,
                  projection: lens.projection,
                  fovDeg: lens.fovDeg ?? s.fovDeg,
                  transmission: lens.transmission ?? undefined,
                },
              });
            }}
          />
        </>
      ) : null}
      <Choice
        label="Projection of the rig"
        options={PROJECTIONS.map((p) => ({ value: p, title: p }))}
        value={s.projection}
        onChange={(projection) => set({ projection })}
      />
      <Row wrap style={top}>
        <Stepper
          label="Views"
          value={s.views}
          step={1}
          digits={0}
          onChange={(v) => set({ views: Math.max(1, Math.round(v)) })}
        />
        <Stepper
          label="Field of view"
          unit="°"
          value={s.fovDeg}
          step={1}
          digits={1}
          onChange={(fovDeg) => set({ fovDeg })}
        />
        <Stepper
          label="Row tilt"
          signed
          unit="°"
          value={s.tiltDeg ?? 0}
          step={5}
          digits={1}
          onChange={(tiltDeg) => set({ tiltDeg })}
        />
        <Stepper
          label="ND on the rig"
          unit="stops"
          value={s.ndStops ?? 0}
          step={1}
          digits={2}
          onChange={(ndStops) => set({ ndStops: Math.max(0, ndStops) })}
        />
      </Row>
    </View>
  );
}
