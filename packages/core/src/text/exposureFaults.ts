/** A fault of the exposure network: its cause, what it holds wrong by name, and by how much. */
export interface ExposureFault {
  cause: string;
  sources: readonly string[];
  amountStops: number;
}

/** A source that is held wrong for good counts nothing; one that several explanations hold wrong counts for what it may be worth. */
export const isSetAside = ({ outlier, weight }: { outlier: boolean; weight: number }): boolean =>
  outlier && weight === 0;

const stops = (v: number) => `${Math.abs(v).toFixed(1)} ${Math.abs(Math.abs(v) - 1) < 0.05 ? 'stop' : 'stops'}`;
/** Names as a sentence lists them. */
export const listed = (names: readonly string[]) =>
  names.length < 2 ? (names[0] ?? '') : `${names.slice(0, -1).join(', ')} and ${names[names.length - 1]}`;

/** What went wrong with an exposure, and what to do: one title, one sentence. */
export function faultWords({ cause, sources, amountStops }: ExposureFault): { title: string; detail: string } {
  const where = listed(sources);
  const by = stops(amountStops);
  switch (cause) {
    case 'nd':
      return {
        title: `${where}: a filter of ${by} ${amountStops < 0 ? 'was there and is not in the log' : 'is in the log and was not there'}`,
        detail: 'Correct the ND of the take; until then its gain follows the card.',
      };
    case 'exposureIndex':
      return {
        title: `${where}: another exposure index, by ${by}`,
        detail: 'Correct the EI of these takes; until then their gain follows the cards.',
      };
    case 'cardTilt':
      return {
        title: `${where}: the card seems to lean, ${by} ${amountStops < 0 ? 'too dark' : 'too bright'}`,
        detail: 'It is set aside. Mark it again, or measure another take.',
      };
    case 'cloud':
      return {
        title: `The light changed by ${by} at ${where}`,
        detail: 'They are set aside: takes under another light want a panorama of that light.',
      };
    case 'decoding':
      return {
        title: `${where}: the plate's code values mean something else than stated`,
        detail: 'State the curve of these plates; until then their cards are set aside.',
      };
    case 'footCandles':
      return { title: `${where}: foot-candles typed for lux`, detail: 'Correct the reading; it is set aside.' };
    default:
      return {
        title: `${where || 'Cards and settings'}: something is off by ${by}, what cannot be told`,
        detail:
          'The intervals hold every explanation that is left. A card in one more take, or a lux reading, would tell.',
      };
  }
}
