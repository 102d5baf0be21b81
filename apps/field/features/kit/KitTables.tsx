import { View } from 'react-native';
import { PROJECTIONS, type FilterRecord, type LensRecord, type PanoramaRig, type RigStatement } from '@tawny/contract';
import { useBodies, useLenses } from '../../data/queries';
import { Action } from '../../ui/Action';
import { Choice } from '../../ui/Choice';
import { Row } from '../../ui/Panel';
import { Stepper } from '../../ui/Stepper';
import { Text } from '../../ui/Text';
import { SPACE } from '../../ui/tokens';

const top = { alignItems: 'flex-start' } as const;

/** Measured density of a filter, channel by channel; until then the engraving counts. */
export function MeasuredDensity({ filter, onChange }: { filter: FilterRecord; onChange: (part: Partial<FilterRecord>) => void }) {
  const d = filter.measuredDensity;
  if (!d) {
    return (
      <Row>
        <Action title="Enter the measured density" onPress={() => onChange({ measuredDensity: [filter.density, filter.density, filter.density] })} />
      </Row>
    );
  }
  return (
    <View style={{ gap: SPACE(2) }}>
      <Row wrap style={top}>
        {['red', 'green', 'blue'].map((name, c) => (
          <Stepper key={name} label={`Density, ${name}`} value={d[c]} step={0.01} digits={3} onChange={(v) => onChange({ measuredDensity: d.map((x, i) => (i === c ? v : x)) as [number, number, number] })} />
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
  const set = (index: number, part: Partial<LensRecord['entrancePupil'][number]>) => onChange({ entrancePupil: rows.map((r, i) => (i === index ? { ...r, ...part } : r)) });
  return (
    <View style={{ gap: SPACE(2) }}>
      <Text size="small" tone="quietInk">Entrance pupil, from the sensor plane forward</Text>
      {rows.map((r, i) => (
        <Row key={i} wrap style={top}>
          <Stepper label="At focal length" unit="mm" value={r.focalMm} step={1} digits={1} onChange={(focalMm) => set(i, { focalMm })} />
          <Stepper label="Pupil ahead" unit="mm" value={r.distanceMm} step={1} digits={1} onChange={(distanceMm) => set(i, { distanceMm })} />
          <Action title="Remove" onPress={() => onChange({ entrancePupil: rows.filter((_, k) => k !== i) })} />
        </Row>
      ))}
      <Row>
        <Action title="Add a focal length" onPress={() => onChange({ entrancePupil: [...rows, { focalMm: lens.focalMinMm, distanceMm: rows[rows.length - 1]?.distanceMm ?? 80 }] })} />
      </Row>
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
          <Choice label="Camera body of the rig" options={bodies.map((b) => ({ value: b.id, title: b.name }))} value={rig.bodyId ?? ''} onChange={(bodyId) => onChange({ bodyId })} />
          <Choice
            label="Lens of the rig" options={lenses.map((l) => ({ value: l.id, title: l.name }))} value={rig.lensId ?? ''}
            onChange={(lensId) => {
              const lens = lenses.find((l) => l.id === lensId)!;
              onChange({ lensId, statement: { ...s, projection: lens.projection, fovDeg: lens.fovDeg ?? s.fovDeg, transmission: lens.transmission } });
            }}
          />
        </>
      ) : null}
      <Choice label="Projection of the rig" options={PROJECTIONS.map((p) => ({ value: p, title: p }))} value={s.projection} onChange={(projection) => set({ projection })} />
      <Row wrap style={top}>
        <Stepper label="Views" value={s.views} step={1} digits={0} onChange={(v) => set({ views: Math.max(1, Math.round(v)) })} />
        <Stepper label="Field of view" unit="°" value={s.fovDeg} step={1} digits={1} onChange={(fovDeg) => set({ fovDeg })} />
        <Stepper label="Row tilt" unit="°" value={s.tiltDeg ?? 0} step={5} digits={1} onChange={(tiltDeg) => set({ tiltDeg })} />
        <Stepper label="ND on the rig" unit="stops" value={s.ndStops ?? 0} step={1} digits={2} onChange={(ndStops) => set({ ndStops: Math.max(0, ndStops) })} />
      </Row>
    </View>
  );
}
