import { useState } from 'react';
import { Pressable, View } from 'react-native';
import type { Exposures, LightRound } from '@tawny/contract';
import { useExposures } from '../../data/queries';
import { faultWords, isSetAside } from '@tawny/core/text/exposureFaults';
import { AgreementBars } from '../../ui/AgreementBars';
import { Fold } from '../../ui/Fold';
import { Notice } from '../../ui/Notice';
import { Reading, Row } from '../../ui/Panel';
import { StateMark, type StateName } from '../../ui/StateMark';
import { Figure, Text } from '../../ui/Text';
import { SPACE, TARGET } from '../../ui/tokens';
import { driftWords, exposuresSummary } from './exposureWords';
import { RigSensitivity } from './RigSensitivity';
import { SetCardAside } from './SetCardAside';

type TakeExposure = Exposures['takes'][number];

/** Sources that are shown at once; what doubts are about comes first. */
const SHOWN = 8;

/** Every take's exposure against the panorama, from all cards, meters and settings together, and what does not fit. */
export function ExposuresPanel({ panoramaId, round, zone }: { panoramaId: string; round: LightRound; zone: string }) {
  const exposures = useExposures(panoramaId);
  const found = exposures.data;
  if (!found || found.takes.length === 0) return null;
  return (
    <Fold title="Exposure of all takes" summary={exposuresSummary(found)} open={found.faults.length > 0}>
      <View style={{ gap: SPACE(4) }} testID="exposures">
        {found.faults.map((fault) => (
          <Notice key={fault.sources.join()} state="doubtful" {...faultWords(fault)} />
        ))}
        <View style={{ gap: SPACE(3) }}>
          {found.takes.map((take) => (
            <TakeRow key={take.takeId} panoramaId={panoramaId} take={take} />
          ))}
        </View>
        {found.absolute ? (
          <Reading label={`One panorama unit, ${found.absolute.provenance}`}>
            <Figure
              value={found.absolute.whiteLuminance.toPrecision(4)}
              unit="cd/m²"
              plusMinus={`${found.absolute.uncertaintyStops.toFixed(2)} stop`}
              testID="white-luminance"
            />
          </Reading>
        ) : null}
        {found.absolute && found.faults.length === 0 ? (
          <RigSensitivity round={round} unit={found.absolute} zone={zone} />
        ) : null}
        <Judged sources={found.sources} />
        {found.daylight ? <DaylightCheck {...found.daylight} /> : null}
        <Text size="small" tone="quietInk">
          {driftWords(found)}
        </Text>
        {found.unused.map(({ name, why }) => (
          <Text key={`${name} ${why}`} size="small" tone="quietInk">{`${name} is not used: ${why}.`}</Text>
        ))}
      </View>
    </Fold>
  );
}

function standing({ verdict, cards }: TakeExposure): { state: StateName; word: string } {
  if (verdict === 'disagrees') return { state: 'doubtful', word: 'Contradicted' };
  if (cards.length === 0) return { state: 'open', word: 'Carried' };
  return verdict === 'agrees' ? { state: 'complete', word: 'Card agrees' } : { state: 'open', word: 'Card alone' };
}

/** A take's gain; touched, what measured it can be set aside, which is offered at once where it is contradicted. */
function TakeRow({ panoramaId, take }: { panoramaId: string; take: TakeExposure }) {
  const [opened, setOpened] = useState<boolean | null>(null);
  const open = opened ?? take.verdict === 'disagrees';
  const row = (
    <Row style={{ justifyContent: 'space-between', minHeight: TARGET }}>
      <View style={{ flex: 1 }}>
        <Text strong>{take.name}</Text>
        <Text size="small" tone="quietInk">
          {take.body}
        </Text>
      </View>
      <View style={{ alignItems: 'flex-end' }}>
        {take.uncertaintyStops === null ? (
          <Text tone="quietInk">not tied to the panorama</Text>
        ) : (
          <Figure
            value={take.gainStops.toFixed(2)}
            unit="stop"
            size="body"
            plusMinus={take.uncertaintyStops.toFixed(2)}
            testID={`exposure-${take.name}`}
          />
        )}
        <StateMark {...standing(take)} />
      </View>
      <Text tone="tawny" size="title" strong style={{ width: SPACE(4), textAlign: 'right' }}>
        {take.cards.length === 0 ? '' : open ? '−' : '+'}
      </Text>
    </Row>
  );
  if (take.cards.length === 0) return row;
  return (
    <View style={{ gap: SPACE(2) }}>
      <Pressable
        role="button"
        aria-expanded={open}
        aria-label={`What measured ${take.name}`}
        onPress={() => setOpened(!open)}
      >
        {row}
      </Pressable>
      {open
        ? take.cards.map((card) => (
            <SetCardAside key={card.part + card.number} panoramaId={panoramaId} take={take.name} card={card} />
          ))
        : null}
    </View>
  );
}

/** Three digits, thousands apart. */
const luxWords = (lux: number) => Number(lux.toPrecision(3)).toLocaleString('en-GB');

/** What the panorama throws on the level, against sun and sky: without a card or a meter the only check. */
function DaylightCheck({ lux, expectedLux, withinStops, sunDeg, agrees }: NonNullable<Exposures['daylight']>) {
  const words = `By this scale the level gets ${luxWords(lux)} lux; sun and sky at ${sunDeg.toFixed(0)}° throw about ${luxWords(expectedLux)} lux there, ${withinStops.toFixed(1)} stops more or less.`;
  return agrees ? (
    <Text testID="daylight-check">{words}</Text>
  ) : (
    <Notice
      state="doubtful"
      title={`The scale is ${Math.abs(Math.log2(lux / expectedLux)).toFixed(1)} stops ${lux > expectedLux ? 'above' : 'below'} what daylight can be`}
      detail={`${words} Was an ND on the rig forgotten, or does something stand over the rig?`}
    />
  );
}

/** What each source says against what was adopted. */
function Judged({ sources }: { sources: Exposures['sources'] }) {
  const told = sources.filter((s) => s.kind !== 'settings' || s.cause !== null || s.outlier);
  const doubted = (s: Exposures['sources'][number]) => Number(s.outlier) + Number(s.cause !== null);
  const shown = [...told].sort((a, b) => doubted(b) - doubted(a)).slice(0, SHOWN);
  if (shown.length < 2) return null;
  return (
    <View style={{ gap: SPACE(2) }}>
      <Text size="small" tone="quietInk">
        {shown.length < told.length
          ? `What ${shown.length} of ${told.length} sources say, against what was adopted`
          : 'What each source says, against what was adopted'}
      </Text>
      <AgreementBars
        unit="stop"
        adopted={0}
        sources={shown.map((s) => ({
          name: s.outlier ? `${s.name}, ${isSetAside(s) ? 'set aside' : 'in doubt'}` : s.name,
          value: s.residualStops,
          plusMinus: s.uncertaintyStops,
        }))}
      />
    </View>
  );
}
