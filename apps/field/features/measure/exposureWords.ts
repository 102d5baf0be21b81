import type { Exposures } from '@tawny/contract';
import { faultWords, listed } from '@tawny/core/text/exposureFaults';

/** One sentence for all takes. */
export function exposuresSummary({ takes, sources, faults }: Exposures): string {
  if (faults.length > 0) return faultWords(faults[0]).title;
  const cards = takes.filter((t) => t.cards.length > 0).length;
  const meters = sources.filter((s) => s.kind === 'meter').length;
  if (cards + meters === 0) return 'Settings alone tell it: no card was measured and no meter read under this light';
  const told = [
    ...(cards > 0 ? [`${cards} ${cards === 1 ? 'card' : 'cards'}`] : []),
    ...(meters > 0 ? [`${meters} meter ${meters === 1 ? 'reading' : 'readings'}`] : []),
    'settings',
  ];
  const agree = takes.some((t) => t.verdict === 'agrees') ? ' agree' : '';
  return `${takes.length} ${takes.length === 1 ? 'take' : 'takes'}: ${listed(told)}${agree}`;
}

/** What is assumed of the light between round and takes; what of it times make that nobody said. */
export function driftWords({ driftStopsPerHour, roundTime, timesAssumed }: Exposures): string {
  const out = [
    `That the light changes by ${driftStopsPerHour.toFixed(1)} stops an hour (one sigma: clouds and the sun’s height) is assumed.`,
  ];
  const { planned, withinS } = roundTime;
  if (planned && withinS !== null)
    out.push(
      `When the round was shot is only planned, ± ${Math.round(withinS / 60)} min: every gain is as much wider. Enter its time in the round.`,
    );
  if (timesAssumed.length > 0)
    out.push(
      `Nobody said when ${listed(timesAssumed.map((t) => t.name))} ${timesAssumed.length === 1 ? 'was' : 'were'}: taken as good to ± ${Math.round(Math.max(...timesAssumed.map((t) => t.withinS)) / 3600)} h. Enter it: of a take in the log, of a reading in its list (“Say when”).`,
    );
  return out.join(' ');
}
