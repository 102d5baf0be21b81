import { useEffect, useMemo, useState } from 'react';
import { View } from 'react-native';
import type { SunSpan } from '@tawny/core';
import { cameraOfTake, viewAnglesDeg } from '@tawny/core/camera/plateCamera';
import { magneticDeclinationDeg, trueHeadingDeg } from '@tawny/core/orient/declination';
import { sunDay, type SunDay } from '@tawny/core/sun/day';
import { stickShadow, sunPosition } from '@tawny/core/sun/ephemeris';
import { sunEvents } from '@tawny/core/sun/events';
import type { Location, Setup } from '@tawny/contract';
import { useBodies, useDayMarks, useLenses, useNewestTakes } from '../../data/queries';
import { clock, clockShort, dayBounds } from '../../data/time';
import { Panel, Reading, Row } from '../../ui/Panel';
import { Stepper } from '../../ui/Stepper';
import { Figure, Text } from '../../ui/Text';
import { useWide } from '../../ui/theme';
import { SPACE } from '../../ui/tokens';
import { LightLine, type LightMark } from '../sky/LightLine';
import { SkyDial } from '../sky/SkyDial';

const MARGIN_MS = 90 * 60000;

/** The part of the day worth drawing: an hour and a half more than the sun is up. */
function daylight({ curve, rise, set }: SunDay): SunDay['curve'] {
  const from = rise ? rise.getTime() - MARGIN_MS : -Infinity;
  const to = set ? set.getTime() + MARGIN_MS : Infinity;
  const part = curve.filter((p) => p.utc.getTime() >= from && p.utc.getTime() <= to);
  return part.length > 2 ? part : curve;
}

const span = (s: readonly SunSpan[], zone: string) =>
  s.length === 0 ? 'none' : s.map((x) => `${clockShort(x.from, zone)}–${clockShort(x.to, zone)}`).join(', ');

interface LightPanelProps {
  date: string;
  location: Location;
  setup: Setup;
  /** The date shown is the shoot day itself: takes, rounds and conditions belong on it. */
  onDay: boolean;
}

/** The light line and the sky dial with what they answer at the asked time. */
export function LightPanel({ date, location, setup, onDay }: LightPanelProps) {
  const dayMarks = useDayMarks(setup.dayId);
  const takes = useNewestTakes(setup.id, 20);
  const bodies = useBodies();
  const lenses = useLenses();
  const wide = useWide();
  const [now, setNow] = useState(() => new Date());
  useEffect(() => {
    const timer = setInterval(() => setNow(new Date()), 60000);
    return () => clearInterval(timer);
  }, []);
  const bounds = useMemo(() => dayBounds(date, location.zone), [date, location.zone]);
  const sun = useMemo(() => sunDay(location, bounds.start, bounds.end, 10), [location, bounds]);
  const events = useMemo(() => sunEvents(location, bounds.start, bounds.end, location.skyline), [location, bounds]);
  const curve = useMemo(() => daylight(sun), [sun]);
  const [asked, setAsked] = useState<Date>(() => (onDay && setup.lightAt ? new Date(setup.lightAt) : sun.transit));
  const [stick, setStick] = useState(1);
  const marks = useMemo<LightMark[]>(
    () => (onDay ? (dayMarks.data ?? []).map(({ kind, at }) => ({ kind, at: new Date(at) })) : []),
    [dayMarks.data, onDay],
  );
  const newest = onDay ? takes.data?.items.find((t) => t.headingDeg !== null) : undefined;
  const camera = newest
    ? cameraOfTake(
        newest,
        bodies.data?.find((b) => b.id === newest.bodyId),
        lenses.data?.find((l) => l.id === newest.lensId),
        location,
      )
    : null;
  const heading = newest ? trueHeadingDeg(newest, location) : null;
  const wedge =
    newest && camera && heading !== null
      ? { headingDeg: heading, fovDeg: viewAnglesDeg(camera).across, label: `camera ${newest.camera}` }
      : undefined;
  const at = sunPosition(location, asked);
  const shadow = stickShadow(at, stick);
  const leaves = events.onSet[events.onSet.length - 1];
  const condition = onDay
    ? setup.lightConditions.find((c) => (!c.from || new Date(c.from) <= asked) && (!c.to || asked < new Date(c.to)))
    : undefined;
  const declination = magneticDeclinationDeg(location, bounds.start);
  return (
    <Panel>
      <Row wrap gap={5} style={{ justifyContent: 'space-between' }}>
        <Reading label="Asked time">
          <Figure
            value={clockShort(asked, location.zone)}
            unit={clock(asked, location.zone).split(' ')[1]}
            size="figure"
            testID="asked-time"
          />
        </Reading>
        <Reading label="Sun elevation">
          <Figure value={at.elevationDeg.toFixed(1)} unit="°" size="figure" testID="asked-elevation" />
        </Reading>
        <Reading label="Azimuth">
          <Figure value={at.azimuthDeg.toFixed(1)} unit="°" />
        </Reading>
        <Reading label={`Shadow of ${stick} m`}>
          {shadow ? (
            <Figure
              value={shadow.lengthM > 99 ? '>99' : shadow.lengthM.toFixed(2)}
              unit={`m to ${shadow.azimuthDeg.toFixed(0)}°`}
            />
          ) : (
            <Text>sun is down</Text>
          )}
        </Reading>
        {condition ? (
          <Reading label="Light condition">
            <Text size="large" strong>
              {condition.name}
            </Text>
          </Reading>
        ) : null}
      </Row>
      <View style={wide ? { flexDirection: 'row', gap: SPACE(4), alignItems: 'center' } : { gap: SPACE(3) }}>
        <View style={{ flex: wide ? 1 : undefined }}>
          <LightLine
            curve={curve}
            zone={location.zone}
            marks={marks}
            now={now}
            asked={asked}
            onAsk={setAsked}
            bands={
              onDay
                ? setup.lightConditions.map((c) => ({
                    name: c.name,
                    from: c.from ? new Date(c.from) : null,
                    to: c.to ? new Date(c.to) : null,
                  }))
                : []
            }
          />
        </View>
        <View style={{ alignItems: 'center' }}>
          <SkyDial
            location={location}
            at={asked}
            date={date}
            views={[]}
            firstHeadingDeg={null}
            wedge={wedge}
            size={wide ? 216 : 236}
          />
        </View>
      </View>
      <Text testID="sun-leaves">
        {leaves
          ? `The sun leaves ${location.name} at ${clock(leaves.to, location.zone)}${location.skyline.length > 0 ? ', behind its skyline' : ''}.`
          : `The sun does not reach ${location.name} on this day.`}
      </Text>
      <Text size="small" tone="quietInk">
        {`Sunrise ${sun.rise ? clock(sun.rise, location.zone) : 'none'} · highest ${clock(sun.transit, location.zone)} · sunset ${sun.set ? clock(sun.set, location.zone) : 'none'} · below 6° ${span(events.lowSun, location.zone)} · civil twilight ${span(events.civilTwilight, location.zone)} · compass needle ${Math.abs(declination).toFixed(1)}° ${declination < 0 ? 'west' : 'east'} of north. Ticks are takes, pins are rounds, bars are light conditions.`}
      </Text>
      <Row style={{ maxWidth: 220 }}>
        <Stepper
          label="Stick"
          unit="m"
          value={stick}
          step={0.1}
          digits={1}
          onChange={(v) => setStick(Math.max(0.1, v))}
        />
      </Row>
    </Panel>
  );
}
