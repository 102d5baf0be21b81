import { useState } from 'react';
import { View } from 'react-native';
import type { ChosenArea, Panorama } from '@tawny/contract';
import { arcDeg, directionFromAngles, wrap360 } from '@tawny/core/sphere/direction';
import { Action } from '../../ui/Action';
import { Choice } from '../../ui/Choice';
import { MOST_NUMBERED } from '../../ui/panorama/StripOverlay';
import { Row } from '../../ui/Panel';
import { Text } from '../../ui/Text';
import { SPACE } from '../../ui/tokens';

/** A direction that was tapped, in the panorama's own frame. */
export interface Spot {
  azimuthDeg: number;
  elevationDeg: number;
}

interface ChosenAreasProps {
  panorama: Panorama;
  /** How many views there are to choose from. */
  views: number;
  spot: Spot | null;
  /** Added to azimuths that are shown: north once measured, else 0. */
  yawDeg: number;
  areas: readonly ChosenArea[];
  onChange: (areas: ChosenArea[]) => void;
}

const RADII = [3, 6, 12, 25].map((deg) => ({ value: String(deg), title: `${deg}°` }));
const AUTOMATIC = 'automatic';

/** Directions nearer than this are one place, degrees. */
const SAME_DEG = 0.7;
const near = (a: Spot, b: Spot) =>
  arcDeg(directionFromAngles(a.azimuthDeg, a.elevationDeg), directionFromAngles(b.azimuthDeg, b.elevationDeg)) <
  SAME_DEG;

/** Which view a place is taken from, where views show different things. It takes effect when the panorama is built again. */
export function ChosenAreas({ panorama, views, spot, yawDeg, areas, onChange }: ChosenAreasProps) {
  const [radius, setRadius] = useState('6');
  const numbers = Array.from({ length: views }, (_, i) => ({ value: String(i), title: String(i + 1) }));
  const where = (p: Spot) =>
    `azimuth ${wrap360(p.azimuthDeg + yawDeg).toFixed(1)}°, elevation ${p.elevationDeg.toFixed(1)}°`;
  const things = panorama.moved.slice(0, MOST_NUMBERED);
  const choose = (place: Spot, radiusDeg: number, value: string) => {
    const rest = areas.filter((a) => !near(a, place));
    onChange(
      value === AUTOMATIC
        ? rest
        : [...rest, { azimuthDeg: place.azimuthDeg, elevationDeg: place.elevationDeg, radiusDeg, view: Number(value) }],
    );
  };
  const others = areas.filter((a) => !things.some((t) => near(a, t)));
  return (
    <View style={{ gap: SPACE(2) }}>
      <Text size="small" tone="quietInk">
        {things.length === 0
          ? 'Things that moved between views: none found'
          : 'Things that moved between views, numbered as under "Moved"; the view that each is taken from'}
      </Text>
      {things.map((t, i) => {
        const chosen = areas.find((a) => near(a, t));
        // The disc of that solid angle, with room for an outline.
        const radiusDeg = Number(
          Math.min(40, ((Math.acos(1 - t.solidAngleSr / (2 * Math.PI)) * 180) / Math.PI) * 1.5 + 1.5).toFixed(1),
        );
        return (
          <View key={i}>
            <Text>{`${i + 1}: ${where(t)}, ${radiusDeg}° around`}</Text>
            <Choice
              label={`View for thing ${i + 1}`}
              options={[{ value: AUTOMATIC, title: `By itself (${t.view + 1})` }, ...numbers]}
              value={chosen ? String(chosen.view) : AUTOMATIC}
              onChange={(v) => choose(t, radiusDeg, v)}
            />
          </View>
        );
      })}
      {panorama.moved.length > things.length ? (
        <Text size="small" tone="quietInk">{`and ${panorama.moved.length - things.length} smaller ones`}</Text>
      ) : null}
      <Text size="small" tone="quietInk">
        {spot
          ? `The place tapped last: ${where(spot)}. How far around, and whole from which view?`
          : 'Tap a place in the panorama to take it whole from one view'}
      </Text>
      {spot ? (
        <>
          <Choice label="How far around" options={RADII} value={radius} onChange={setRadius} />
          <Choice
            label="View for the place"
            options={numbers}
            value={String(areas.find((a) => near(a, spot))?.view ?? '')}
            onChange={(v) => choose(spot, Number(radius), v)}
          />
        </>
      ) : null}
      {others.map((a, i) => (
        <Row key={i} wrap style={{ justifyContent: 'space-between' }}>
          <Text>{`${where(a).replace(/^a/, 'A')}, ${a.radiusDeg}° around: whole from view ${a.view + 1}`}</Text>
          <Action title="Leave it" onPress={() => onChange(areas.filter((b) => b !== a))} />
        </Row>
      ))}
    </View>
  );
}
