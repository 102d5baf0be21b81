import type { CameraBody, LensRecord, TakeInput } from './records';

export interface TakeFault {
  field: keyof TakeInput;
  message: string;
}

/** What a camera assistant would object to: the take against its body, format and lens. */
export function takeFaults(take: TakeInput, body: CameraBody, lens: LensRecord): TakeFault[] {
  const faults: TakeFault[] = [];
  const format = body.formats.find((f) => f.name === take.formatName);
  if (!format) faults.push({ field: 'formatName', message: `${body.name} does not record ${take.formatName}` });
  else if (take.fps > format.maxFps) faults.push({ field: 'fps', message: `${format.name} runs to ${format.maxFps} fps, not ${take.fps}` });
  if (take.tStop < lens.tMin - 1e-9) faults.push({ field: 'tStop', message: `${lens.name} opens to T${lens.tMin}; T${take.tStop} is wider than it goes` });
  if (take.tStop > lens.tMax + 1e-9) faults.push({ field: 'tStop', message: `${lens.name} closes to T${lens.tMax}; T${take.tStop} is beyond it` });
  if (take.focalLengthMm < lens.focalMinMm - 1e-9 || take.focalLengthMm > lens.focalMaxMm + 1e-9) {
    const range = lens.focalMinMm === lens.focalMaxMm ? `a ${lens.focalMinMm} mm prime` : `a ${lens.focalMinMm} to ${lens.focalMaxMm} mm zoom`;
    faults.push({ field: 'focalLengthMm', message: `${lens.name} is ${range}; ${take.focalLengthMm} mm is outside it` });
  }
  if (take.focusM !== null && take.focusM < lens.closeFocusM) {
    faults.push({ field: 'focusM', message: `${lens.name} focuses no nearer than ${lens.closeFocusM} m` });
  }
  return faults;
}

/** The next take of the same camera: a copy, one number on. */
export function nextTake(last: TakeInput, id: string, shotAt: string): TakeInput {
  return { ...last, id, take: last.take + 1, status: 'good', shotAt, notes: '' };
}
