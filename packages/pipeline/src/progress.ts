/** What a long computation tells its caller; `fraction` of the whole in [0, 1]. */
export interface Progress {
  stage: string;
  fraction: number;
}

export interface RunControl {
  onProgress?: (progress: Progress) => void;
  onLog?: (line: string) => void;
  signal?: AbortSignal;
}

/** Thrown when the caller's signal fired. */
export class Cancelled extends Error {
  constructor() {
    super('cancelled');
    this.name = 'Cancelled';
  }
}

export function throwIfCancelled(control: RunControl): void {
  if (control.signal?.aborted) throw new Cancelled();
}

/** Runs tasks with at most `width` at a time, in order of their start, and stops starting new ones when cancelled. */
export async function mapLimited<T, R>(
  items: readonly T[],
  width: number,
  control: RunControl,
  run: (item: T, index: number) => Promise<R>,
): Promise<R[]> {
  const results = new Array<R>(items.length);
  let next = 0;
  const lane = async () => {
    while (next < items.length) {
      throwIfCancelled(control);
      const index = next++;
      results[index] = await run(items[index], index);
    }
  };
  await Promise.all(Array.from({ length: Math.min(width, items.length) }, lane));
  return results;
}
