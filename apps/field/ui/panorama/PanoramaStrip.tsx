import type { WorkingSpace } from '@tawny/core';
import { luminance } from '@tawny/core/colour/primaries';
import { colourWords, shortValue } from '@tawny/core/text/lightValue';
import { wrap360 } from '@tawny/core/sphere/direction';
import { useQuery } from '@tanstack/react-query';
import { useEffect, useMemo, useRef, useState, type MutableRefObject } from 'react';
import { View } from 'react-native';
import type { Panorama } from '@tawny/contract';
import { fileAddress } from '../../data/api';
import { useProductionCode } from '../../data/queries';
import { Action } from '../Action';
import { Choice } from '../Choice';
import type { FourCorners } from '../corners';
import { Magnifier, paintLight } from '../Magnifier';
import { Row } from '../Panel';
import { ExposureSteps } from '../ExposureSteps';
import { Text } from '../Text';
import { useTheme } from '../theme';
import { POINTED_PX, SPACE } from '../tokens';
import { useOf, useValue, ValueStore } from '../valueStore';
import { ScaleBar } from './ScaleBar';
import { valueAt } from './floatPicture';
import { useFloatPicture } from './useFloatPicture';
import { StripRenderer, type StripColours } from './stripRenderer';
import { useStripDetail } from './useStripDetail';
import { Bearings, StripOverlay, type StripPoint } from './StripOverlay';
import { anglesAt, tame, type StripView } from './stripView';
import { useStripPointers } from './useStripPointers';

interface PanoramaStripProps {
  panorama: Panorama;
  /** Added to every azimuth: north once measured, else 0. */
  yawDeg: number;
  /** Its turn is one to true north: quarters have their names. A set's own frame has none. */
  trueNorth: boolean;
  height: number;
  /** What is marked: then a drag lays a box about it, or moves a corner, instead of turning. */
  marking?: { what: string; first?: string } | null;
  /** Azimuths and elevations in the panorama's own frame. */
  mark?: FourCorners | null;
  onMark?: (corners: FourCorners) => void;
  /** Kept at what is shown, in the panorama's own frame. */
  looking?: MutableRefObject<StripView | null>;
  start?: Partial<StripView>;
  /** Turns to a direction of the panorama's own frame, close enough to see a card there. */
  towards?: { azimuthDeg: number; elevationDeg: number } | null;
  /** Told of every tap: a direction in the panorama's own frame, and how well the screen let it be pointed at (95 %). */
  onProbe?: (own: { azimuthDeg: number; elevationDeg: number; withinDeg: number }) => void;
  /** What was marked in it, in its own frame. */
  points?: readonly StripPoint[];
}

const NO_POINTS: readonly StripPoint[] = [];

/** Degrees across at which a card is seen well. */
const CARD_SPAN = 60;
/** The mask is looked at no finer than this. */
const MASK_PX = 4096;
const SHAPES = [
  { value: 'strip', title: 'Strip' },
  { value: 'flat', title: 'Flat view' },
] as const;
const COLOURS = [
  { value: 'picture', title: 'Picture' },
  { value: 'stops', title: 'Stops' },
] as const;
const MOVED = { value: 'moved', title: 'Moved' } as const;

interface Probe {
  azimuthDeg: number;
  elevationDeg: number;
  rgb: [number, number, number];
}

/** The panorama as float data: drag to turn, wheel or pinch to zoom, tap to probe, exposure in thirds of a stop. */
export function PanoramaStrip({
  panorama,
  yawDeg,
  trueNorth,
  height,
  marking = null,
  mark = null,
  onMark,
  looking,
  towards = null,
  start,
  onProbe,
  points = NO_POINTS,
}: PanoramaStripProps) {
  const code = useProductionCode();
  const { palette } = useTheme();
  const picture = useFloatPicture(panorama);
  const [width, setWidth] = useState(0);
  const [view] = useState(
    () =>
      new ValueStore<StripView>({
        azimuthDeg: start?.azimuthDeg ?? 180,
        elevationDeg: start?.elevationDeg ?? 0,
        spanDeg: start?.spanDeg ?? 150,
      }),
  );
  const [exposure] = useState(() => new ValueStore(0));
  const [probe, setProbe] = useState<Probe | null>(null);
  const [colours, setColours] = useState<StripColours>('picture');
  const [loaded, setLoaded] = useState(0);
  const [failure, setFailure] = useState<string | null>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const frame = useRef<View>(null);
  const renderer = useRef<StripRenderer | null>(null);
  const drag = useStripPointers({
    view,
    width,
    height,
    marking: marking !== null,
    yawDeg,
    mark,
    onMark,
    onTap: (x, y) => {
      const found = look(x, y);
      setProbe(found);
      if (found)
        onProbe?.({
          azimuthDeg: wrap360(found.azimuthDeg - yawDeg),
          elevationDeg: found.elevationDeg,
          withinDeg: (POINTED_PX * view.get().spanDeg) / width,
        });
    },
  });

  const look = (x: number, y: number): Probe | null => {
    const data = picture.data?.picture;
    if (!data) return null;
    const a = anglesAt(view.get(), x, y, width, height);
    const own = wrap360(a.azimuthDeg - yawDeg);
    const px = Math.min(data.width - 1, Math.floor((own / 360) * data.width));
    const py = Math.min(data.height - 1, Math.floor(((90 - a.elevationDeg) / 180) * data.height));
    return { ...a, rgb: valueAt(data, px, py) };
  };

  useEffect(() => {
    if (!canvas.current || !picture.data || width === 0) return;
    try {
      renderer.current ??= new StripRenderer(canvas.current, panorama.space);
      renderer.current.load(picture.data.picture);
    } catch (error) {
      setFailure((error as Error).message);
    }
  }, [picture.data, width === 0]);
  useEffect(() => () => renderer.current?.dispose(), []);
  const ratio = typeof window === 'undefined' ? 1 : Math.min(2, window.devicePixelRatio || 1);
  useStripDetail({
    renderer,
    code,
    panorama,
    view,
    yawDeg,
    width,
    height,
    ratio,
    ready: Boolean(picture.data),
    onLoaded: () => setLoaded((n) => n + 1),
  });
  const mask = useQuery({
    queryKey: [code, 'measure', panorama.id],
    enabled: colours !== 'picture' && panorama.measureHash !== null,
    staleTime: Infinity,
    gcTime: 60000,
    queryFn: async () => {
      const response = await fetch(fileAddress('panoramas.measure', { production: code, id: panorama.id }));
      if (!response.ok) throw new Error(`The mask could not be read (${response.status})`);
      return createImageBitmap(await response.blob(), {
        colorSpaceConversion: 'none',
        premultiplyAlpha: 'none',
        resizeWidth: Math.min(MASK_PX, panorama.widthPx),
        resizeQuality: 'pixelated',
      });
    },
  });
  useEffect(() => {
    if (!mask.data || !renderer.current) return;
    renderer.current.loadMask(mask.data);
    setLoaded((n) => n + 1);
  }, [mask.data]);
  useEffect(() => {
    if (!picture.data) return undefined;
    const { typical } = picture.data;
    const draw = () => renderer.current?.draw(view.get(), yawDeg, (0.18 / typical) * 2 ** exposure.get(), colours);
    draw();
    const ends = [view.subscribe(draw), exposure.subscribe(draw)];
    return () => ends.forEach((stop) => stop());
  }, [view, yawDeg, exposure, colours, loaded, picture.data, width, height]);

  useEffect(() => {
    const follow = () => {
      const v = view.get();
      if (looking) looking.current = { ...v, azimuthDeg: wrap360(v.azimuthDeg - yawDeg) };
      // Said without rendering the strip anew.
      (frame.current as unknown as HTMLElement | null)?.setAttribute('aria-label', viewWords(v));
    };
    follow();
    return view.subscribe(follow);
  }, [view, yawDeg, looking]);
  useEffect(() => {
    if (towards)
      view.change((v) =>
        tame(
          { ...v, ...towards, azimuthDeg: towards.azimuthDeg + yawDeg, spanDeg: Math.min(CARD_SPAN, v.spanDeg) },
          width,
          height,
        ),
      );
  }, [towards]);
  const { marked } = drag;
  const lens = useMemo(() => {
    if (!marked || !picture.data) return null;
    const { picture: data, typical } = picture.data;
    const [x, y] = marked.at;
    const lightAt = (dx: number, dy: number) => look(x + dx, y + dy)?.rgb ?? null;
    const value = lightAt(0, 0);
    return {
      paint: paintLight(lightAt, (0.18 / typical) * 2 ** exposure.get()),
      left: x < width / 2,
      value: value && data ? shortValue(value, panorama.space, false) : null,
    };
  }, [marked]);
  const flat = useOf(view, (v) => v.flat);
  // A drag leaves the controls as they are.
  const controls = useMemo(
    () => (
      <>
        <Row wrap gap={2} style={{ justifyContent: 'space-between' }}>
          <StripExposure exposure={exposure} />
          <Row gap={2}>
            <Action
              title="Wider"
              onPress={() => view.change((v) => tame({ ...v, spanDeg: v.spanDeg * 1.5 }, width, height))}
            />
            <Action
              title="Closer"
              onPress={() => view.change((v) => tame({ ...v, spanDeg: v.spanDeg / 1.5 }, width, height))}
            />
          </Row>
        </Row>
        {marking ? null : (
          <Row wrap gap={2} style={{ justifyContent: 'space-between' }}>
            <Choice
              label="How the panorama is shown"
              options={SHAPES}
              value={flat ? 'flat' : 'strip'}
              onChange={(v) =>
                view.change((w) =>
                  tame(
                    {
                      ...w,
                      flat: v === 'flat',
                      spanDeg: v === 'flat' ? Math.min(80, w.spanDeg) : Math.max(120, w.spanDeg),
                    },
                    width,
                    height,
                  ),
                )
              }
            />
            <Choice
              label="Colours"
              options={panorama.measureHash === null ? COLOURS : [...COLOURS, MOVED]}
              value={colours}
              onChange={setColours}
            />
          </Row>
        )}
      </>
    ),
    [view, exposure, flat, colours, marking, width, height, panorama.measureHash],
  );
  const message = failure ?? picture.error?.message ?? (picture.data ? null : 'Reading the panorama ...');
  return (
    <View style={{ gap: SPACE(2) }}>
      <View style={{ backgroundColor: palette.surround, padding: SPACE(2) }}>
        <View
          ref={frame}
          onLayout={(e) => setWidth(Math.round(e.nativeEvent.layout.width))}
          role="img"
          aria-label={viewWords(view.get())}
          style={{ height, overflow: 'hidden', touchAction: 'none', cursor: marking ? 'crosshair' : 'grab' } as object}
          testID="panorama-strip"
          {...(drag.handlers as object)}
        >
          <canvas
            ref={canvas}
            width={Math.max(1, width * ratio)}
            height={height * ratio}
            style={{ width: '100%', height: '100%', display: 'block' }}
          />
          {message ? (
            <View
              style={{
                position: 'absolute',
                top: 0,
                left: 0,
                right: 0,
                bottom: 0,
                alignItems: 'center',
                justifyContent: 'center',
                backgroundColor: palette.surround,
              }}
            >
              <Text style={{ color: palette.onSurround }}>{message}</Text>
            </View>
          ) : null}
          {width > 0 && !message ? (
            <StripOverlay
              view={view}
              width={width}
              height={height}
              yawDeg={yawDeg}
              panorama={panorama}
              mark={mark}
              draft={drag.marked?.draft ?? null}
              first={marking?.first}
              moved={colours === 'moved'}
              points={points}
            />
          ) : null}
          {lens ? <Magnifier paint={lens.paint} left={lens.left} value={lens.value} /> : null}
        </View>
        {flat ? null : <Bearings view={view} width={width} north={trueNorth} />}
      </View>
      {colours === 'stops' ? <ScaleBar /> : null}
      {colours === 'moved' ? (
        <Text size="small" tone="quietInk" testID="moved-words">
          {movedWords(panorama)}
        </Text>
      ) : null}
      {controls}
      <Text size="small" tone="quietInk" testID="probe">
        {probe
          ? probeText(probe, panorama.space, trueNorth)
          : `${marking ? `Drag a box over the ${marking.what}, then its corners` : 'Drag to turn, tap to probe'}. Exposure 0 puts the median at mid grey.`}
      </Text>
    </View>
  );
}

const viewWords = ({ azimuthDeg, spanDeg }: StripView) =>
  `Panorama, looking ${azimuthDeg.toFixed(0)} degrees, ${spanDeg.toFixed(0)} degrees wide`;

function StripExposure({ exposure }: { exposure: ValueStore<number> }) {
  return <ExposureSteps stops={useValue(exposure)} onChange={exposure.change} testID="strip-exposure" />;
}

function movedWords({ moved }: Panorama): string {
  const between =
    moved.length === 0
      ? 'Nothing stood in some views only'
      : `Numbered: ${moved.length} things that stood in some views only, each taken whole from one`;
  return `Squares: one frame of the bracket stands alone there, because something moved. ${between}.`;
}

function probeText({ azimuthDeg, elevationDeg, rgb }: Probe, space: WorkingSpace, aligned: boolean): string {
  const y = luminance(...rgb, space);
  const value = Number(y.toPrecision(4));
  return `${aligned ? 'Azimuth' : 'Bearing in the picture'} ${azimuthDeg.toFixed(2)}°, elevation ${elevationDeg.toFixed(2)}°, luminance ${value} (relative), log2 ${Math.log2(y).toFixed(2)} stop, ${colourWords(rgb, space)}`;
}
