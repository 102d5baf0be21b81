import type { Exposures } from '@tawny/contract';
import { faultWords, listed } from '@tawny/core/text/exposureFaults';

/** One sentence for all takes. */
export function exposuresSummary({ takes, sources, faults }: Exposures): string {
  if (faults.length > 0) return faultWords(faults[0]).title;
  const cards = takes.filter((t) => t.card).length;
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
