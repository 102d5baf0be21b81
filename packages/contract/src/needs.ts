/** Data that a setup may need, in the words of the gap list. */
export const NEEDS = {
  round: 'a round per light condition',
  greyCard: 'a grey card',
  chart: 'a colour chart',
  greyBall: 'a grey ball',
  chromeBall: 'a chrome ball',
  cleanPlate: 'a clean plate',
  lensGrid: 'a lens grid per lens',
  cameraHeight: 'camera height and tilt',
  luxReading: 'a lux reading',
  lampPositions: 'lamp positions',
  eyeLine: 'an eye line',
  setPhoto: 'a set photo',
} as const;
export type Need = keyof typeof NEEDS;

/** Asked of every take: before there is one nobody can tell whether they are there. */
export const NEEDS_OF_TAKES: readonly Need[] = ['lensGrid', 'cameraHeight'];
