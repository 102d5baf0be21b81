/** The two themes as tokens. Contrast is checked by tokens.test.ts. */
export interface Palette {
  ground: string;
  raised: string;
  ink: string;
  quietInk: string;
  hairline: string;
  /** Actions only. */
  tawny: string;
  onTawny: string;
  /** Agrees, complete. */
  tide: string;
  /** Will be lost, wrong. */
  madder: string;
  /** Doubtful, stale. */
  ochre: string;
  /** Neutral grey around every picture. */
  surround: string;
  onSurround: string;
}

export const DAYLIGHT: Palette = {
  ground: '#F5F1E8',
  raised: '#FFFDF7',
  ink: '#1F1A15',
  quietInk: '#6A6056',
  hairline: '#D9CFBF',
  tawny: '#A9541A',
  onTawny: '#FFFDF7',
  tide: '#1F6A6A',
  madder: '#9E2B35',
  ochre: '#7F6200',
  surround: '#777777',
  onSurround: '#000000',
};

export const LAMPLIGHT: Palette = {
  ground: '#171615',
  raised: '#211F1D',
  ink: '#EFE7DA',
  quietInk: '#A4988A',
  hairline: '#3A3632',
  tawny: '#E2914A',
  onTawny: '#171615',
  tide: '#63B3AE',
  madder: '#E0707A',
  ochre: '#D9B44A',
  surround: '#333333',
  onSurround: '#FFFFFF',
};

export type Tone = 'ink' | 'quietInk' | 'tawny' | 'tide' | 'madder' | 'ochre';

export const SIZE = { small: 13, body: 15, large: 17, title: 22, figure: 32, hero: 48 } as const;
export const SPACE = (n: number) => 4 * n;
export const RADIUS = 6;
export const TARGET = 44;
/** Somebody points at a thing in a picture this well (95 %), px of the screen. */
export const POINTED_PX = 3;
/** From this width the same content stands side by side. */
export const WIDE = 900;

export const FONT = {
  text: 'HankenGrotesk_400Regular',
  textStrong: 'HankenGrotesk_600SemiBold',
  number: 'SplineSansMono_400Regular',
  numberStrong: 'SplineSansMono_500Medium',
} as const;
