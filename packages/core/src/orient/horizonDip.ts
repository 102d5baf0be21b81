/** How far below level the sea's horizon lies for an eye so high over the water, with the standard refraction: degrees. */
export const horizonDipDeg = (heightM: number): number => 0.0293 * Math.sqrt(Math.max(0, heightM));
