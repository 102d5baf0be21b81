import { PROVENANCE_WORDS, type Basis } from '@tawny/contract';

/** Facts that the page of a handoff states; all computed by the job that writes it. */
export interface ReadmeFacts {
  production: string;
  setup: string;
  lightCondition: string;
  number: number;
  panoramaName: string;
  residualName: string;
  /** Primaries of the pictures and of the lights' colours, in words. */
  space: string;
  widthPx: number;
  heightPx: number;
  gainStops: number | null;
  gainUncertaintyStops: number | null;
  /** How it was measured, or carried from another take's plate. */
  gainBy: string;
  /** What the plate is like; null when nobody measured it. */
  plate: string | null;
  /** What was done to the colours. */
  colour: string;
  /** Frame of panorama and stage, see `frameWords`. */
  frame: string;
  yawDeg: number | null;
  /** The sources that turned it. */
  northBy: string;
  northUncertaintyDeg: number | null;
  illuminanceFull: number;
  illuminanceResidual: number;
  meanLuminance: number;
  maxLuminance: number;
  sun: {
    azimuthDeg: number;
    elevationDeg: number;
    diameterDeg: number;
    illuminanceNormal: number;
    clipped: boolean;
    /** Where its light was aimed for the take; null when it stands as photographed. */
    aimed: { azimuthDeg: number; elevationDeg: number } | null;
  } | null;
  camera: string;
  /** Where each fact comes from. */
  restsOn: Basis['facts'];
  missing: string[];
  files: string[];
}

const f = (v: number, digits = 4) => Number(v.toPrecision(digits)).toString();

/** The one page that a lighting artist reads first. */
export function writeReadme(x: ReadmeFacts): string {
  const scale =
    x.gainStops === null
      ? 'relative panorama units (no plate gain was measured)'
      : `plate units: gain ${x.gainStops.toFixed(3)}${x.gainUncertaintyStops === null ? '' : ` +- ${x.gainUncertaintyStops.toFixed(3)}`} stop (95 %) ${x.gainBy}`;
  const sun = x.sun
    ? [
        `Sun               azimuth ${x.sun.azimuthDeg.toFixed(2)} deg, elevation ${x.sun.elevationDeg.toFixed(2)} deg, diameter ${x.sun.diameterDeg.toFixed(3)} deg`,
        `                  illuminance on a facing plane ${f(x.sun.illuminanceNormal)}${x.sun.clipped ? ' -- CLIPPED: a lower bound, the real sun gives more' : ''}`,
        x.sun.aimed
          ? `                  its light in the stage is aimed as at the take: azimuth ${x.sun.aimed.azimuthDeg.toFixed(2)} deg, elevation ${x.sun.aimed.elevationDeg.toFixed(2)} deg`
          : '                  its light in the stage stands where it was photographed',
      ]
    : ['Sun               none found; the stage has no DistantLight'];
  return `${[
    `${x.production} / ${x.setup} / ${x.lightCondition} / handoff ${String(x.number).padStart(3, '0')}`,
    '',
    'WHAT IS IN IT',
    ...x.files.map((n) => `  ${n}`),
    '',
    'HOW TO USE IT',
    `  Open the .usda stage: the dome carries ${x.residualName} (sun taken out), the DistantLight is the sun.`,
    `  Or use ${x.panoramaName} alone as a dome: it holds everything. Never both the full panorama and the sun light.`,
    `  Y up, metres, azimuth grows to the right; ${x.frame === 'north-aligned' ? '-Z is true north, the left edge of the panorama is north' : x.frame}.`,
    `  Camera: ${x.camera}`,
    '',
    'NUMBERS TO EXPECT',
    `Picture           ${x.widthPx} x ${x.heightPx} px, ${x.space}`,
    `Colours           ${x.colour}`,
    ...(x.plate === null ? [] : [`Plate             ${x.plate}`]),
    `Scale             ${scale}`,
    `North             ${northWords(x)}`,
    ...sun,
    `Mean luminance    ${f(x.meanLuminance)}      maximum ${f(x.maxLuminance)}`,
    `Illuminance on the horizontal, full panorama   ${f(x.illuminanceFull)}`,
    `                               residual + sun  ${f(x.illuminanceResidual + (x.sun ? x.sun.illuminanceNormal * Math.max(0, Math.sin((x.sun.elevationDeg * Math.PI) / 180)) : 0))}`,
    `A white Lambert plane lying flat renders to ${f(x.illuminanceFull / Math.PI)}, an 18 % grey one to ${f((0.18 * x.illuminanceFull) / Math.PI)}.`,
    '',
    'WHAT IT RESTS ON',
    ...x.restsOn.map(
      (r) =>
        `  ${r.name.padEnd(25)} ${PROVENANCE_WORDS[r.kind]}: ${r.source}${r.uncertainty === null ? '' : `, +- ${f(r.uncertainty, 3)}${r.unit === '°' ? ' deg' : ` ${r.unit}`} (95 %)`}`,
    ),
    '',
    'WHAT IS MISSING',
    ...(x.missing.length === 0 ? ['  nothing of what this version measures'] : x.missing.map((m) => `  - ${m}`)),
    '',
  ].join('\r\n')}`;
}

function northWords({ frame, yawDeg, northBy, northUncertaintyDeg }: Parameters<typeof writeReadme>[0]): string {
  if (yawDeg === null)
    return 'UNKNOWN: everything is in the frame of the set, the picture at the heading of its rig; camera and dome share no frame';
  const turn = `turned by ${yawDeg.toFixed(3)} +- ${northUncertaintyDeg!.toFixed(3)} deg (95 %) by ${northBy}`;
  if (frame.startsWith('set frame'))
    return `UNKNOWN: panorama and camera are in one set frame, the camera looks along azimuth 0; ${turn}`;
  return turn.replace('turned by', 'turned to it by');
}
