/** Wavelengths of spectra in nm: 380 to 780 by 10. */
export const WAVELENGTHS_NM: readonly number[] = Array.from({ length: 41 }, (_, k) => 380 + 10 * k);

/** CIE 1931 standard observer (2 degrees), 380 to 780 nm by 5: x, y and z bar (ISO/CIE 11664-1). */
export const OBSERVER: readonly (readonly [number, number, number])[] = [
  [0.001368, 3.9e-5, 0.00645],
  [0.002236, 6.4e-5, 0.01055],
  [0.004243, 0.00012, 0.02005],
  [0.00765, 0.000217, 0.03621],
  [0.01431, 0.000396, 0.06785],
  [0.02319, 0.00064, 0.1102],
  [0.04351, 0.00121, 0.2074],
  [0.07763, 0.00218, 0.3713],
  [0.13438, 0.004, 0.6456],
  [0.21477, 0.0073, 1.03905],
  [0.2839, 0.0116, 1.3856],
  [0.3285, 0.01684, 1.62296],
  [0.34828, 0.023, 1.74706],
  [0.34806, 0.0298, 1.7826],
  [0.3362, 0.038, 1.77211],
  [0.3187, 0.048, 1.7441],
  [0.2908, 0.06, 1.6692],
  [0.2511, 0.0739, 1.5281],
  [0.19536, 0.09098, 1.28764],
  [0.1421, 0.1126, 1.0419],
  [0.09564, 0.13902, 0.81295],
  [0.05795, 0.1693, 0.6162],
  [0.03201, 0.20802, 0.46518],
  [0.0147, 0.2586, 0.3533],
  [0.0049, 0.323, 0.272],
  [0.0024, 0.4073, 0.2123],
  [0.0093, 0.503, 0.1582],
  [0.0291, 0.6082, 0.1117],
  [0.06327, 0.71, 0.07825],
  [0.1096, 0.7932, 0.05725],
  [0.1655, 0.862, 0.04216],
  [0.22575, 0.91485, 0.02984],
  [0.2904, 0.954, 0.0203],
  [0.3597, 0.9803, 0.0134],
  [0.43345, 0.99495, 0.00875],
  [0.51205, 1, 0.00575],
  [0.5945, 0.995, 0.0039],
  [0.6784, 0.9786, 0.00275],
  [0.7621, 0.952, 0.0021],
  [0.8425, 0.9154, 0.0018],
  [0.9163, 0.87, 0.00165],
  [0.9786, 0.8163, 0.0014],
  [1.0263, 0.757, 0.0011],
  [1.0567, 0.6949, 0.001],
  [1.0622, 0.631, 0.0008],
  [1.0456, 0.5668, 0.0006],
  [1.0026, 0.503, 0.00034],
  [0.9384, 0.4412, 0.00024],
  [0.85445, 0.381, 0.00019],
  [0.7514, 0.321, 0.0001],
  [0.6424, 0.265, 5e-5],
  [0.5419, 0.217, 3e-5],
  [0.4479, 0.175, 2e-5],
  [0.3608, 0.1382, 1e-5],
  [0.2835, 0.107, 0],
  [0.2187, 0.0816, 0],
  [0.1649, 0.061, 0],
  [0.1212, 0.04458, 0],
  [0.0874, 0.032, 0],
  [0.0636, 0.0232, 0],
  [0.04677, 0.017, 0],
  [0.0329, 0.01192, 0],
  [0.0227, 0.00821, 0],
  [0.01584, 0.005723, 0],
  [0.011359, 0.004102, 0],
  [0.008111, 0.002929, 0],
  [0.00579, 0.002091, 0],
  [0.004109, 0.001484, 0],
  [0.002899, 0.001047, 0],
  [0.002049, 0.00074, 0],
  [0.00144, 0.00052, 0],
  [0.001, 0.000361, 0],
  [0.00069, 0.000249, 0],
  [0.000476, 0.000172, 0],
  [0.000332, 0.00012, 0],
  [0.000235, 8.5e-5, 0],
  [0.000166, 6e-5, 0],
  [0.000117, 4.2e-5, 0],
  [8.3e-5, 3e-5, 0],
  [5.9e-5, 2.1e-5, 0],
  [4.2e-5, 1.5e-5, 0],
];

/** The observer's weights at `WAVELENGTHS_NM` for spectra that run straight between them. */
const WEIGHTS = WAVELENGTHS_NM.map((_, k) =>
  [0, 1, 2].map((c) => {
    const at = (step: number) => OBSERVER[2 * k + step]?.[c] ?? 0;
    return (at(0) + (at(-1) + at(1)) / 2) / 2;
  }),
);

/** XYZ of a spectral power distribution at `WAVELENGTHS_NM`: the sum over them, an equal-energy spectrum of 1 giving Y = 10.69. */
export function xyzOfSpectrum(power: ArrayLike<number>): [number, number, number] {
  const out: [number, number, number] = [0, 0, 0];
  for (let k = 0; k < WEIGHTS.length; k++) for (let c = 0; c < 3; c++) out[c] += power[k] * WEIGHTS[k][c];
  return out;
}

/** Second radiation constant of ITS-90 in nm K. */
const C2_NM_K = 1.4388e7;

/** Spectral power of a full radiator (Planck), any scale. @param nm > 0 @param kelvin > 0 */
const radiatorPower = (nm: number, kelvin: number): number => (560 / nm) ** 5 / Math.expm1(C2_NM_K / (nm * kelvin));

/** Relative spectral power of a full radiator at `WAVELENGTHS_NM`, 1 at 560 nm. */
export function planckian(kelvin: number): number[] {
  const reference = radiatorPower(560, kelvin);
  return WAVELENGTHS_NM.map((nm) => radiatorPower(nm, kelvin) / reference);
}

/** XYZ of a full radiator, any scale. */
export function xyzOfRadiator(kelvin: number): [number, number, number] {
  const out: [number, number, number] = [0, 0, 0];
  OBSERVER.forEach((seen, k) => {
    const power = radiatorPower(380 + 5 * k, kelvin);
    for (let c = 0; c < 3; c++) out[c] += power * seen[c];
  });
  return out;
}
