import Input from '@rneui/themed/dist/Input';
import { useState } from 'react';
import { View } from 'react-native';
import type { SetPosition } from '@tawny/core';
import { sighting, targetHeightM } from '@tawny/core/orient/eyeLine';
import type { EyeLine, Location, Setup, Take } from '@tawny/contract';
import { useEyeLines, useRemove, useSave } from '../../data/queries';
import { Action } from '../../ui/Action';
import { Notice } from '../../ui/Notice';
import { NotRemoved } from '../../ui/NotRemoved';
import { Panel, Reading, Row } from '../../ui/Panel';
import { OptionalStepper, Stepper } from '../../ui/Stepper';
import { Figure, Text } from '../../ui/Text';
import { Waiting } from '../shell/Waiting';

/** Where actors look: eye and target become bearing and tilt. */
export function EyeLinesPanel({ setup, takes }: { setup: Setup; location: Location; takes: readonly Take[] }) {
  const lines = useEyeLines(setup.id);
  const removal = useRemove('eyelines');
  const [open, setOpen] = useState<EyeLine | null>(null);
  const [gone, setGone] = useState<string | null>(null);
  if (!lines.data) return <Waiting error={lines.error} what="the eye lines" />;
  const fresh: EyeLine = {
    id: crypto.randomUUID(),
    setupId: setup.id,
    takeId: takes[0]?.id ?? null,
    who: '',
    eye: { eastM: 0, northM: 0, heightM: 1.65 },
    target: { eastM: setup.cgEastM ?? 0, northM: setup.cgNorthM ?? 4, heightM: setup.cgHeightM ?? 2 },
    standInHeightM: null,
    version: 0,
    createdAt: '',
    updatedAt: '',
  };
  return (
    <View style={{ gap: 16 }}>
      <NotRemoved error={removal.error} />
      {gone ? (
        <Notice state="open" title="The eye line was removed">
          <Row>
            <Action title="Take it back" onPress={() => removal.restore(gone, { onSuccess: () => setGone(null) })} />
          </Row>
        </Notice>
      ) : null}
      {open && !open.version ? (
        <EyeLineForm start={open} onClose={() => setOpen(null)} />
      ) : (
        <Row>
          <Action kind="main" grow title="Set an eye line" onPress={() => setOpen(fresh)} />
        </Row>
      )}
      {lines.data.length === 0 ? (
        <Notice
          state="open"
          title="No eye line yet"
          detail="Eye and target mark become a bearing, a tilt and the height at which the target must stand."
        />
      ) : null}
      {lines.data.map((l) =>
        open?.id === l.id ? (
          <EyeLineForm key={l.id} start={l} onClose={() => setOpen(null)} />
        ) : (
          <Panel key={l.id} title={l.who}>
            <Looking eye={l.eye} target={l.target} />
            <Text
              size="small"
              tone="quietInk"
            >{`Eye ${l.eye.eastM} E ${l.eye.northM} N ${l.eye.heightM} up · target ${l.target.eastM} E ${l.target.northM} N ${l.target.heightM} up, m${l.standInHeightM ? ` · stand-in ${l.standInHeightM} m tall` : ''}`}</Text>
            <Row>
              <Action title="Change" onPress={() => setOpen(l)} />
              <Action title="Remove" onPress={() => removal.remove(l, { onSuccess: () => setGone(l.id) })} />
            </Row>
          </Panel>
        ),
      )}
    </View>
  );
}

const apart = (a: SetPosition, b: SetPosition) =>
  Math.hypot(a.eastM - b.eastM, a.northM - b.northM, a.heightM - b.heightM) > 0.01;

function Looking({ eye, target }: { eye: SetPosition; target: SetPosition }) {
  if (!apart(eye, target)) return <Text tone="madder">Eye and target are the same point.</Text>;
  const s = sighting(eye, target);
  return (
    <Row wrap gap={4}>
      <Reading label="Bearing, true">
        <Figure value={s.bearingDeg.toFixed(1)} unit="°" />
      </Reading>
      <Reading label="Tilt">
        <Figure value={s.tiltDeg.toFixed(1)} unit="°" />
      </Reading>
      <Reading label="Distance">
        <Figure value={s.distanceM.toFixed(2)} unit="m" />
      </Reading>
    </Row>
  );
}

function EyeLineForm({ start, onClose }: { start: EyeLine; onClose: () => void }) {
  const [line, setLine] = useState(start);
  const save = useSave<EyeLine>('eyelines');
  const level = Math.hypot(line.target.eastM - line.eye.eastM, line.target.northM - line.eye.northM);
  const tilt = apart(line.eye, line.target) ? sighting(line.eye, line.target).tiltDeg : 0;
  const place = (which: 'eye' | 'target', name: string) => (
    <Row wrap style={{ alignItems: 'flex-start' }}>
      <Stepper
        label={`${name}, east`}
        signed
        unit="m"
        value={line[which].eastM}
        step={0.1}
        onChange={(eastM) => setLine({ ...line, [which]: { ...line[which], eastM } })}
      />
      <Stepper
        label={`${name}, north`}
        signed
        unit="m"
        value={line[which].northM}
        step={0.1}
        onChange={(northM) => setLine({ ...line, [which]: { ...line[which], northM } })}
      />
      <Stepper
        label={`${name}, height`}
        unit="m"
        value={line[which].heightM}
        step={0.05}
        onChange={(heightM) => setLine({ ...line, [which]: { ...line[which], heightM } })}
      />
    </Row>
  );
  return (
    <Panel title={start.version ? start.who : 'New eye line'}>
      <Input
        label="Who looks"
        accessibilityLabel="Who looks"
        value={line.who}
        onChangeText={(who) => setLine({ ...line, who })}
        renderErrorMessage={false}
      />
      {place('eye', 'Eye')}
      {place('target', 'Target')}
      <Row wrap style={{ alignItems: 'flex-start' }}>
        {level > 0.05 ? (
          <Stepper
            label="Or by tilt"
            signed
            unit="°"
            value={tilt}
            step={1}
            digits={1}
            onChange={(t) =>
              setLine({
                ...line,
                target: {
                  ...line.target,
                  heightM: Number(targetHeightM(line.eye.heightM, level, Math.max(-80, Math.min(80, t))).toFixed(3)),
                },
              })
            }
          />
        ) : null}
        <OptionalStepper
          label="Stand-in height"
          unit="m"
          value={line.standInHeightM}
          start={1.75}
          step={0.05}
          onChange={(standInHeightM) => setLine({ ...line, standInHeightM })}
        />
      </Row>
      <Looking eye={line.eye} target={line.target} />
      {save.error ? <Notice state="lost" title="The eye line was not saved" detail={save.error.message} /> : null}
      <Row>
        <Action
          kind="main"
          grow
          title="Save eye line"
          disabled={line.who.trim() === '' || !apart(line.eye, line.target)}
          busy={save.isPending}
          onPress={() => save.mutate({ record: line }, { onSuccess: onClose })}
        />
        <Action title="Close" onPress={onClose} />
      </Row>
    </Panel>
  );
}
