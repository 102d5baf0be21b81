import { KERNEL_BYTES } from './kernelBytes';

/** The loops of `packages/core/kernels/merge.ts`; every pointer is a byte offset into their memory. */
export interface MergeKernels {
  addNarrow(
    codes: number,
    stride: number,
    tables: number,
    first: number,
    step: number,
    n: number,
    more: boolean,
    weights: number,
    sums: number,
  ): void;
  straighten(codes: number, scale: number, n: number, light: number): void;
  lookUp(codes: number, table: number, rounding: number, n: number, light: number, rounds: number): void;
  addWide(
    light: number,
    rounds: number,
    roundStep: number,
    frames: number,
    count: number,
    clip: number,
    readVariance: number,
    n: number,
    weights: number,
    sums: number,
  ): void;
  /** Not 0 where some sample had no weight. */
  settle(weights: number, sums: number, n: number): number;
}

interface KernelMemory {
  readonly buffer: ArrayBuffer;
  grow(pages: number): number;
}

/** What browsers and Node have alike; core is typed without either's library. */
interface WebAssemblyHost {
  WebAssembly: { Module: new (bytes: Uint8Array) => object; Instance: new (module: object) => { exports: object } };
}

const PAGE = 65536;
/** Offsets start here: nothing is kept at 0. */
const START = 16;

let loaded: (MergeKernels & { memory: KernelMemory }) | null = null;

/**
 * The kernels of this thread with room for named arrays, each of so many bytes and on a 16-byte boundary. The room is the caller's until the next call:
 * what it held before is not cleared.
 */
export function kernelRoom<K extends string>(
  bytes: Record<K, number>,
): { kernels: MergeKernels; at: Record<K, number>; buffer: ArrayBuffer } {
  if (!loaded) {
    const { Module, Instance } = (globalThis as unknown as WebAssemblyHost).WebAssembly;
    loaded = new Instance(new Module(KERNEL_BYTES)).exports as MergeKernels & { memory: KernelMemory };
  }
  let end = START;
  const at = {} as Record<K, number>;
  for (const name of Object.keys(bytes) as K[]) {
    at[name] = end;
    end += Math.ceil(bytes[name] / 16) * 16;
  }
  const missing = Math.ceil((end - loaded.memory.buffer.byteLength) / PAGE);
  if (missing > 0) loaded.memory.grow(missing);
  return { kernels: loaded, at, buffer: loaded.memory.buffer };
}
