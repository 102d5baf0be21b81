import { randomUUID } from 'node:crypto';
import { bodyInput, filterInput, instrumentInput, lensInput, panoramaRigInput, referenceObjectInput } from '@tawny/contract';
import { CHART_PATCHES } from '@tawny/simset';

const id = () => randomUUID();

/** The invented kit of the demo: names, not makes. */
export function demoKit() {
  const body = bodyInput.parse({
    id: id(), name: 'Corrie 35', serial: 'C35-0117', baseEi: 800,
    formats: [
      { name: '1920 full', gateWidthMm: 24.89, gateHeightMm: 14, widthPx: 1920, heightPx: 1080, maxFps: 60, circleOfConfusionMm: 0.025 },
      { name: '1440 centre', gateWidthMm: 18.67, gateHeightMm: 14, widthPx: 1440, heightPx: 1080, maxFps: 96, circleOfConfusionMm: 0.02 },
      { name: '2x squeezed', gateWidthMm: 18.67, gateHeightMm: 15.6, widthPx: 1440, heightPx: 1204, maxFps: 48, squeeze: 2, circleOfConfusionMm: 0.025 },
    ],
  });
  const second = bodyInput.parse({ id: id(), name: 'Corrie Mini', serial: 'CM-0042', baseEi: 400, formats: [{ name: '1920 full', gateWidthMm: 22.4, gateHeightMm: 12.6, widthPx: 1920, heightPx: 1080, maxFps: 120, circleOfConfusionMm: 0.022 }] });
  const rigBody = bodyInput.parse({ id: id(), name: 'Tarn P6', serial: 'TP6-009', baseEi: 100, formats: [{ name: 'Stills', gateWidthMm: 36, gateHeightMm: 24, widthPx: 3000, heightPx: 2000, maxFps: 3, circleOfConfusionMm: 0.03 }] });
  const prime = lensInput.parse({ id: id(), name: 'Skerry prime 32', serial: 'SP32-204', kind: 'prime', focalMinMm: 32, focalMaxMm: 32, tMin: 1.8, tMax: 22, closeFocusM: 0.35, transmission: 0.82, entrancePupil: [{ focalMm: 32, distanceMm: 74 }] });
  const prime50 = lensInput.parse({ id: id(), name: 'Skerry prime 50', serial: 'SP50-118', kind: 'prime', focalMinMm: 50, focalMaxMm: 50, tMin: 1.8, tMax: 22, closeFocusM: 0.5, transmission: 0.82, entrancePupil: [{ focalMm: 50, distanceMm: 81 }] });
  const zoom = lensInput.parse({ id: id(), name: 'Skerry zoom 24-70', serial: 'SZ-031', kind: 'zoom', focalMinMm: 24, focalMaxMm: 70, tMin: 2.9, tMax: 22, closeFocusM: 0.6, transmission: 0.74, entrancePupil: [{ focalMm: 24, distanceMm: 112 }, { focalMm: 70, distanceMm: 138 }] });
  const fisheye = lensInput.parse({ id: id(), name: 'Meniscus 8.2 mm fisheye', serial: 'MF-77', kind: 'fisheye', focalMinMm: 8.2, focalMaxMm: 8.2, tMin: 3.9, tMax: 24, closeFocusM: 0.15, transmission: 0.8, projection: 'equidistant', fovDeg: 185 });
  const nd = (density: number, measured: [number, number, number] | null) => filterInput.parse({ id: id(), name: `ND ${density.toFixed(1)}`, kind: 'nd', density, measuredDensity: measured, measuredOn: measured ? '2026-09-21' : null });
  return {
    bodies: [body, second, rigBody], lenses: [prime, prime50, zoom, fisheye],
    rigs: [
      panoramaRigInput.parse({ id: id(), name: 'Six-way head', serial: 'H6-1', kind: 'bodyAndLens', bodyId: rigBody.id, lensId: fisheye.id, statement: { projection: 'equidistant', fovDeg: 185, views: 6, transmission: 0.8 } }),
      panoramaRigInput.parse({ id: id(), name: 'Fathom 360', serial: 'F360-5', kind: 'oneShot', statement: { projection: 'latlong', fovDeg: 360, views: 1 } }),
    ],
    filters: [nd(0.3, null), nd(0.6, [0.61, 0.6, 0.59]), nd(0.9, null), nd(1.2, [1.22, 1.2, 1.17]), nd(1.8, null), nd(2.1, null), filterInput.parse({ id: id(), name: 'Round polariser', kind: 'polariser', density: 0.45 })],
    instruments: [
      instrumentInput.parse({ id: id(), name: 'Lanternfish lux meter', serial: 'LM-3', kind: 'luxMeter', bias: 0, sigma: 0.03, constant: 250, receptor: 'flat', calibratedOn: '2026-08-30' }),
      instrumentInput.parse({ id: id(), name: 'Pinhole spot meter', serial: 'SM-8', kind: 'spotMeter', bias: 0, sigma: 0.04, constant: 12.5, calibratedOn: '2026-08-30' }),
      instrumentInput.parse({ id: id(), name: 'Brass compass', serial: 'BC-1', kind: 'compass', bias: 1.5, sigma: 1, calibratedOn: '2026-09-21' }),
      instrumentInput.parse({ id: id(), name: 'Digital level', serial: 'DL-2', kind: 'inclinometer', bias: -0.1, sigma: 0.1, calibratedOn: '2026-09-21' }),
      instrumentInput.parse({ id: id(), name: 'Cloth tape', serial: 'T-1', kind: 'tape', bias: 0, sigma: 0.01 }),
      instrumentInput.parse({ id: id(), name: 'Laser rule', serial: 'LR-4', kind: 'laser', bias: 0.002, sigma: 0.003 }),
      instrumentInput.parse({ id: id(), name: 'Mast receiver', serial: 'MR-2', kind: 'positioning', bias: 0, sigma: 0.015, calibratedOn: '2026-09-21' }),
    ],
    objects: [
      referenceObjectInput.parse({ id: id(), name: 'Grey card 18 %', serial: 'GC-2', kind: 'greyCard', reflectance: 0.18, measuredOn: '2026-09-21' }),
      referenceObjectInput.parse({ id: id(), name: 'Chart, 24 patches', serial: 'CH-1', kind: 'chart', patches: CHART_PATCHES.map((p) => [...p]), measuredOn: '2026-09-21' }),
      referenceObjectInput.parse({ id: id(), name: 'Grey ball', serial: 'GB-1', kind: 'greyBall', reflectance: 0.18, diameterMm: 220, measuredOn: '2026-09-21' }),
      referenceObjectInput.parse({ id: id(), name: 'Chrome ball', serial: 'CB-1', kind: 'chromeBall', reflectance: 0.62, diameterMm: 220, measuredOn: '2026-09-21' }),
      referenceObjectInput.parse({ id: id(), name: 'Lens grid 1.2 m', serial: 'LG-1', kind: 'lensGrid' }),
    ],
  };
}
