/** A sentence out of words that begin small and end bare, as the core says its reasons. */
export const sentence = (words: string): string => `${words.charAt(0).toUpperCase()}${words.slice(1)}.`;
