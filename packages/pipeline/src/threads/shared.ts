/** A float picture in memory that threads can share. */
export function sharedFloats(length: number): Float32Array {
  return new Float32Array(new SharedArrayBuffer(4 * length));
}

export function sharedBytes(length: number): Uint8Array {
  return new Uint8Array(new SharedArrayBuffer(length));
}
