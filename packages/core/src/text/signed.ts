/** A number with its sign as it is printed: a true minus, a plus for nought and above. */
export const signed = (value: number, digits: number): string =>
  `${value >= 0 ? '+' : '−'}${Math.abs(value).toFixed(digits)}`;
