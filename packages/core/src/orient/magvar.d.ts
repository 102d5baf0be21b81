declare module 'magvar' {
  /** Degrees, east positive; altitude in kilometres, year as a decimal. */
  export function magvar(latitude: number, longitude: number, altitude?: number, decimalYear?: number): number;
}
