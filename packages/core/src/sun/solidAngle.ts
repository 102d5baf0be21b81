/** Solid angle of the mean sun's disc, steradians. CONVENTIONS.md section 4. */
export const SUN_SOLID_ANGLE = 6.8e-5;

/** Solid angle of cut-off light from which losing it is worth a word, steradians: a thirtieth of the disc of the sun. */
export const NOTABLE_CLIPPED_SR = 2e-6;
