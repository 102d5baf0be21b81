import { memo, useEffect, useRef, useState, type ComponentProps } from 'react';
import type { Panorama, Plate } from '@tawny/contract';
import type { ColourMatrix } from '@tawny/core';
import { Action } from '../../ui/Action';
import { Choice } from '../../ui/Choice';
import { ExposureSteps } from '../../ui/ExposureSteps';
import { Panel, Row } from '../../ui/Panel';
import { ValueStore } from '../../ui/valueStore';
import type { SightPick } from './PicksPanel';
import { SightPicture, type PlateTap, type SightHand } from './SightPicture';
import type { ShadowLine } from './SightOverlay';
import { SightWords } from './SightWords';
import { useBlink } from './sightHooks';
import { degreesOf, dragged, headingOf, quaternionOf, type SightView } from './sightMath';
import type { SightLook } from './sightRenderer';
import type { SurveyedThing } from './surveyedFrom';
import { useSettledTurn, type TurnStore } from './useTurn';

const LOOKS: { value: SightLook; title: string }[] = [
  { value: 'opacity', title: 'Opacity' },
  { value: 'wipe', title: 'Wipe' },
  { value: 'difference', title: 'Difference' },
  { value: 'edges', title: 'Edges' },
];
const HANDS: { value: SightHand; title: string }[] = [
  { value: 'turn', title: 'Turn' },
  { value: 'pick', title: 'Pick' },
  { value: 'mark', title: 'Mark' },
  { value: 'shadow', title: 'Shadow' },
];
/** Picks are of things that a plate shows too. */
const WITHOUT_PLATE = HANDS.filter((h) => h.value !== 'pick');
const SHARES = [
  { value: '0', title: 'Plate' },
  { value: '0.25', title: '¼' },
  { value: '0.5', title: '½' },
  { value: '0.75', title: '¾' },
  { value: '1', title: 'Panorama' },
] as const;

interface StageProps {
  panorama: Panorama;
  plate: Plate | undefined;
  view: SightView;
  hand: TurnStore;
  gainStops: number | null;
  colours: ColourMatrix | null;
  tool: SightHand;
  onTool: (tool: SightHand) => void;
  picks: readonly SightPick[];
  /** A thing that was tapped in the plate and is looked for in the panorama. */
  waiting: { xPx: number; yPx: number } | null;
  surveyed: readonly SurveyedThing[];
  onTap: (tap: PlateTap) => void;
  /** What the words beneath want to know beside it. */
  about: Pick<ComponentProps<typeof SightWords>, 'take' | 'location' | 'heading'>;
}

/** Plate and panorama over each other, how they lie there, and what the picture cannot show. */
export function SightStage({ hand, tool, onTool, about, ...p }: StageProps) {
  const [look, setLook] = useState<SightLook>('opacity');
  const [share] = useState(() => new ValueStore(0.5));
  const [stops, setStops] = useState(0);
  const [shadow, setShadow] = useState<ShadowLine | null>(null);
  return (
    <Panel>
      <SightPicture
        {...p}
        {...{ look, stops, shadow }}
        turn={hand}
        hand={tool}
        share={share}
        onTurn={(dx, dy) => hand.change((t) => dragged(t, headingOf(p.view), ...degreesOf(p.view, dx, dy)))}
        onShadow={setShadow}
      />
      <Row wrap gap={2} style={{ justifyContent: 'space-between' }}>
        {p.plate ? <LookChoice look={look} onLook={setLook} /> : null}
        <ToolChoice plate={Boolean(p.plate)} tool={tool} onTool={onTool} />
      </Row>
      {p.plate && (look === 'opacity' || look === 'wipe') ? <ShareRow share={share} /> : null}
      <Exposure stops={stops} onChange={setStops} />
      <SettledWords hand={hand} view={p.view} plate={p.plate} panorama={p.panorama} shadow={shadow} {...about} />
    </Panel>
  );
}

/** How much of the panorama lies over the plate; blinking shows the plate now and then. */
function ShareRow({ share }: { share: ValueStore<number> }) {
  const [chosen, setChosen] = useState(String(share.get()));
  const [blink, setBlink] = useState(false);
  const away = useBlink(blink);
  useEffect(() => share.change(() => (away ? 0 : Number(chosen))), [share, away, chosen]);
  // Gone while it blinks, it leaves what was chosen.
  const last = useRef(chosen);
  last.current = chosen;
  useEffect(() => () => share.change(() => Number(last.current)), [share]);
  return (
    <Row wrap gap={2}>
      <Choice
        label="Share of the panorama"
        options={SHARES}
        value={chosen as '0'}
        onChange={(v: string) => setChosen(v)}
      />
      <Action title={blink ? 'Stop blinking' : 'Blink'} onPress={() => setBlink((b) => !b)} />
    </Row>
  );
}

// What a change does not concern is not rendered again.
const Exposure = memo(ExposureSteps);
const LookChoice = memo(({ look, onLook }: { look: SightLook; onLook: (look: SightLook) => void }) => (
  <Choice label="How they lie over each other" options={LOOKS} value={look} onChange={onLook} />
));
LookChoice.displayName = 'LookChoice';
const ToolChoice = memo(({ plate, tool, onTool }: Pick<StageProps, 'tool' | 'onTool'> & { plate: boolean }) => (
  <Choice label="A drag does" options={plate ? HANDS : WITHOUT_PLATE} value={tool} onChange={onTool} />
));
ToolChoice.displayName = 'ToolChoice';

/** The words follow when the hand rests. */
const SettledWords = memo(
  ({ hand, ...rest }: { hand: TurnStore } & Omit<ComponentProps<typeof SightWords>, 'turn'>) => (
    <SightWords {...rest} turn={quaternionOf(useSettledTurn(hand))} />
  ),
);
SettledWords.displayName = 'SettledWords';
