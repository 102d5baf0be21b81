import { rotate } from '@tawny/core/orient/quaternion';
import { directionFromAngles } from '@tawny/core/sphere/direction';
import { signed } from '@tawny/core/text/signed';
import { useEffect, useRef, useState, type ComponentProps, type PointerEvent } from 'react';
import { View } from 'react-native';
import type { Panorama, Plate } from '@tawny/contract';
import type { ColourMatrix } from '@tawny/core';
import { useProductionCode } from '../../data/queries';
import { plateLight } from '../../ui/panorama/plateLight';
import { useFloatPicture } from '../../ui/panorama/useFloatPicture';
import { holdPointer } from '../../ui/holdPointer';
import { Text } from '../../ui/Text';
import { useTheme } from '../../ui/theme';
import { POINTED_PX, SPACE } from '../../ui/tokens';
import { useValue, type ValueStore } from '../../ui/valueStore';
import type { SightPick } from './PicksPanel';
import { SightOverlay, type ShadowLine } from './SightOverlay';
import { inSight, quaternionOf, type SightView } from './sightMath';
import { SightRenderer, type SightLook } from './sightRenderer';
import type { SurveyedThing } from './surveyedFrom';
import type { TurnStore } from './useTurn';

/** A place in the plate that was tapped, its own pixels, and how well the screen let it be pointed at (95 %). */
export interface PlateTap {
  xPx: number;
  yPx: number;
  withinPx: number;
}

/** What a drag over the picture does. */
export type SightHand = 'turn' | 'pick' | 'mark' | 'shadow';

interface SightPictureProps {
  panorama: Panorama;
  plate: Plate | undefined;
  view: SightView;
  turn: TurnStore;
  look: SightLook;
  /** Of the panorama over the plate, 0 to 1. */
  share: ValueStore<number>;
  /** Stops added to the panorama. */
  stops: number;
  /** Plate over panorama value, stops; null while no gain is known: then its median lies at mid grey. */
  gainStops: number | null;
  /** Its colours onto the plate's; null where none were matched. */
  colours: ColourMatrix | null;
  hand: SightHand;
  picks: readonly SightPick[];
  /** A thing that was tapped in the plate and is looked for in the panorama. */
  waiting: { xPx: number; yPx: number } | null;
  shadow: ShadowLine | null;
  surveyed: readonly SurveyedThing[];
  onTurn: (dxPx: number, dyPx: number) => void;
  onTap: (tap: PlateTap) => void;
  onShadow: (line: ShadowLine) => void;
}

/** The plate with the panorama through its lens over it; drag turns the panorama (or draws), everything is uniforms of one program. */
export function SightPicture(p: SightPictureProps) {
  const { panorama, plate, view, turn, look, share, stops, gainStops, colours } = p;
  const { palette } = useTheme();
  const code = useProductionCode();
  const float = useFloatPicture(panorama);
  const [width, setWidth] = useState(0);
  const [loaded, setLoaded] = useState(0);
  const [failure, setFailure] = useState<string | null>(null);
  const [plateTypical, setPlateTypical] = useState<number | null>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const renderer = useRef<SightRenderer | null>(null);
  const height = Math.round((width * view.heightPx) / (view.widthPx * view.squeeze));
  useEffect(() => {
    if (!canvas.current || !float.data || width === 0) return;
    try {
      renderer.current ??= new SightRenderer(canvas.current, panorama.space);
      renderer.current.loadPanorama(float.data.picture);
      setLoaded((n) => n + 1);
    } catch (error) {
      setFailure((error as Error).message);
    }
  }, [float.data, width === 0]);
  useEffect(() => () => renderer.current?.dispose(), []);
  const started = loaded > 0;
  useEffect(() => {
    if (!started) return;
    let gone = false;
    const show = async () => {
      const light = plate ? await plateLight(code, plate.id) : null;
      if (gone) return;
      renderer.current?.loadPlate(light?.picture ?? null);
      setPlateTypical(light?.typical ?? null);
    };
    show().then(
      () => !gone && setLoaded((n) => n + 1),
      (error: Error) => !gone && setFailure(error.message),
    );
    return () => {
      gone = true;
    };
  }, [plate?.id, started]);
  useEffect(() => {
    if (!float.data) return;
    const plateGain = 0.18 / (plateTypical ?? 1);
    // With a gain the panorama stands in the plate's own scale; else the medians of both lie at mid grey.
    const bare = gainStops === null || plateTypical === null ? 0.18 / float.data.typical : plateGain * 2 ** gainStops;
    const draw = () => {
      const turned = quaternionOf(turn.get());
      renderer.current?.draw({
        ...{ view, turn: turned, colours, plateGain, look },
        gain: bare * 2 ** stops,
        share: share.get(),
      });
    };
    draw();
    const ends = [turn.subscribe(draw), share.subscribe(draw)];
    return () => ends.forEach((stop) => stop());
  }, [view, turn, look, share, stops, gainStops, colours, plateTypical, loaded, width, float.data]);

  const pointer = usePlatePointer(p, width, height);
  const ratio = typeof window === 'undefined' ? 1 : Math.min(2, window.devicePixelRatio || 1);
  const message = failure ?? float.error?.message ?? (float.data ? null : 'Reading the panorama ...');
  return (
    <View style={{ backgroundColor: palette.surround, padding: SPACE(2) }}>
      <View
        onLayout={(e) => setWidth(Math.round(e.nativeEvent.layout.width))}
        role="img"
        aria-label={`The sight: ${plate ? `plate ${plate.name} and ` : ''}panorama through the lens, exposure ${signed(stops, 1)} stop`}
        testID="sight-picture"
        style={
          {
            height,
            overflow: 'hidden',
            touchAction: 'none',
            cursor: p.hand === 'turn' ? 'grab' : 'crosshair',
          } as object
        }
        {...(pointer as object)}
      >
        <canvas
          ref={canvas}
          width={Math.max(1, width * ratio)}
          height={Math.max(1, height * ratio)}
          style={{ width: '100%', height: '100%', display: 'block' }}
        />
        {message ? (
          <View
            style={{
              position: 'absolute',
              inset: 0,
              alignItems: 'center',
              justifyContent: 'center',
              backgroundColor: palette.surround,
            }}
          >
            <Text style={{ color: palette.onSurround }}>{message}</Text>
          </View>
        ) : width > 0 ? (
          <TurnedOverlay
            {...{ panorama, view, turn, width, height }}
            picks={p.picks}
            waiting={p.waiting}
            shadow={p.shadow}
            surveyed={p.surveyed}
          />
        ) : null}
      </View>
    </View>
  );
}

/** What lies over the picture with the turn as it is at every moment of a drag. */
function TurnedOverlay({
  panorama,
  view,
  turn: store,
  picks,
  waiting,
  ...rest
}: Pick<SightPictureProps, 'panorama' | 'view' | 'turn' | 'picks' | 'waiting' | 'shadow' | 'surveyed'> &
  Pick<ComponentProps<typeof SightOverlay>, 'width' | 'height'>) {
  const turn = quaternionOf(useValue(store));
  const turned = (azimuthDeg: number, elevationDeg: number) =>
    rotate(turn, directionFromAngles(azimuthDeg, elevationDeg));
  const placed = picks.map((p, k) => ({
    name: String(k + 1),
    xPx: p.xPx,
    yPx: p.yPx,
    turned: inSight(view, turned(p.panoramaAzimuthDeg, p.panoramaElevationDeg)),
  }));
  return (
    <SightOverlay
      {...rest}
      view={view}
      sun={panorama.sun && turned(panorama.sun.azimuthDeg, panorama.sun.elevationDeg)}
      picks={waiting ? [...placed, { name: String(picks.length + 1), ...waiting, turned: null }] : placed}
    />
  );
}

/** Drags and taps on the plate in its own pixels. */
function usePlatePointer({ view, hand, onTurn, onTap, onShadow }: SightPictureProps, width: number, height: number) {
  const last = useRef<{ x: number; y: number } | null>(null);
  const first = useRef<{ x: number; y: number; moved: boolean } | null>(null);
  const at = (e: PointerEvent) => {
    const box = (e.currentTarget as HTMLElement).getBoundingClientRect();
    return {
      x: ((e.clientX - box.left) / width) * view.widthPx,
      y: ((e.clientY - box.top) / height) * view.heightPx,
    };
  };
  return {
    onPointerDown: (e: PointerEvent) => {
      holdPointer(e);
      last.current = at(e);
      first.current = { ...at(e), moved: false };
    },
    onPointerMove: (e: PointerEvent) => {
      if (!last.current || !first.current) return;
      const now = at(e);
      // A finger that trembles taps.
      const few = (4 / width) * view.widthPx;
      if (Math.hypot(now.x - first.current.x, now.y - first.current.y) > few) first.current.moved = true;
      if (hand === 'turn' && first.current.moved) onTurn(now.x - last.current.x, now.y - last.current.y);
      if (hand === 'shadow') onShadow({ from: first.current, to: now });
      last.current = now;
    },
    onPointerUp: (e: PointerEvent) => {
      const begun = first.current;
      const { x, y } = at(e);
      if (begun && !begun.moved) onTap({ xPx: x, yPx: y, withinPx: (POINTED_PX / width) * view.widthPx });
      last.current = first.current = null;
    },
  };
}
