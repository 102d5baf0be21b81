/** A sentence out of words that begin small and end bare, as the core says its reasons. */
export const sentence = (words: string): string => `${words.charAt(0).toUpperCase()}${words.slice(1)}.`;

/** 75 s: 1 min 15 s. */
export function durationWords(seconds: number): string {
  const whole = Math.round(seconds);
  const minutes = Math.floor(whole / 60);
  return minutes > 0 ? `${minutes} min ${whole % 60} s` : `${whole} s`;
}

/** A heading that picks told: true, with its 95 % half width. */
export const headingWords = ({ value, uncertainty }: { value: number; uncertainty: number }): string =>
  `${value.toFixed(1)}° ± ${uncertainty.toFixed(1)}°`;
