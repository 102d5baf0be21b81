// The innermost loops of the merge, compiled to WebAssembly by tools/kernels.mjs. AssemblyScript: TypeScript with machine types; pointers are byte offsets into the module's memory.

/** Frames whose tables are looked up in one go. */
const GROUP: usize = 8;
/** Bytes of one frame's table: weight and weight times value, two floats, of 256 codes. */
const TABLE_BYTES: usize = 2048;

/**
 * Adds weight and product of every `step`th sample from `first` on, over the eight 8-bit frames whose codes lie `stride` bytes apart.
 * Absent frames are tables of zeros. `more` keeps the sums of an earlier group.
 */
export function addNarrow(codes: usize, stride: usize, tables: usize, first: usize, step: usize, n: usize, more: bool, weights: usize, sums: usize): void {
  for (let i = first; i < n; i += step) {
    let sum = more ? f32x4(load<f32>(weights + (i << 2)), load<f32>(sums + (i << 2)), 0, 0) : f32x4.splat(0);
    const at = codes + i;
    sum = f32x4.add(sum, v128.load_zero<f64>(tables + (<usize>load<u8>(at) << 3)));
    let other = v128.load_zero<f64>(tables + TABLE_BYTES + (<usize>load<u8>(at + stride) << 3));
    sum = f32x4.add(sum, v128.load_zero<f64>(tables + 2 * TABLE_BYTES + (<usize>load<u8>(at + 2 * stride) << 3)));
    other = f32x4.add(other, v128.load_zero<f64>(tables + 3 * TABLE_BYTES + (<usize>load<u8>(at + 3 * stride) << 3)));
    sum = f32x4.add(sum, v128.load_zero<f64>(tables + 4 * TABLE_BYTES + (<usize>load<u8>(at + 4 * stride) << 3)));
    other = f32x4.add(other, v128.load_zero<f64>(tables + 5 * TABLE_BYTES + (<usize>load<u8>(at + 5 * stride) << 3)));
    sum = f32x4.add(sum, v128.load_zero<f64>(tables + 6 * TABLE_BYTES + (<usize>load<u8>(at + 6 * stride) << 3)));
    other = f32x4.add(other, v128.load_zero<f64>(tables + (GROUP - 1) * TABLE_BYTES + (<usize>load<u8>(at + (GROUP - 1) * stride) << 3)));
    sum = f32x4.add(sum, other);
    store<f32>(weights + (i << 2), f32x4.extract_lane(sum, 0));
    store<f32>(sums + (i << 2), f32x4.extract_lane(sum, 1));
  }
}

/** Sixteen-bit codes of a straight curve as light: `n` a multiple of four. */
export function straighten(codes: usize, scale: f32, n: usize, light: usize): void {
  const factor = f32x4.splat(scale);
  for (let i: usize = 0; i < n; i += 4) {
    v128.store(light + (i << 2), f32x4.mul(f32x4.convert_i32x4_u(v128.load16x4_u(codes + (i << 1))), factor));
  }
}

/** Sixteen-bit codes of any curve as light, and the variance of their rounding, looked up. */
export function lookUp(codes: usize, table: usize, rounding: usize, n: usize, light: usize, rounds: usize): void {
  for (let i: usize = 0; i < n; i++) {
    const code = <usize>load<u16>(codes + (i << 1)) << 2;
    store<f32>(light + (i << 2), load<f32>(table + code));
    store<f32>(rounds + (i << 2), load<f32>(rounding + code));
  }
}

/**
 * Weights and sums of frames of light, longest exposure first, planes of `n` floats (a multiple of four) one after the other.
 * `frames` holds four floats a frame: 1 / X, X², X / full well, and one of no meaning. Rounding lies `roundStep` bytes a sample from `rounds` on
 * (0: the same for all). A frame counts where it lies below `clip`.
 */
export function addWide(light: usize, rounds: usize, roundStep: usize, frames: usize, count: i32, clip: f32, readVariance: f32, n: usize, weights: usize, sums: usize): void {
  const plane = n << 2;
  const limit = f32x4.splat(clip);
  const read = f32x4.splat(readVariance);
  for (let i: usize = 0; i < n; i += 4) {
    const at = light + (i << 2);
    // The longest frame that holds gives the first estimate.
    let estimate = f32x4.splat(0);
    for (let k = count - 1; k >= 0; k--) {
      const value = v128.load(at + <usize>k * plane);
      estimate = v128.bitselect(f32x4.mul(value, v128.load32_splat(frames + (<usize>k << 4))), estimate, f32x4.lt(value, limit));
    }
    let weight = f32x4.splat(0);
    let sum = f32x4.splat(0);
    for (let k = 0; k < count; k++) {
      const frame = frames + (<usize>k << 4);
      const value = v128.load(at + <usize>k * plane);
      const round = roundStep == 0 ? v128.load(rounds) : v128.load(rounds + <usize>k * plane + (i << 2));
      const variance = f32x4.add(f32x4.add(f32x4.mul(estimate, v128.load32_splat(frame + 8)), read), round);
      const w = v128.and(f32x4.div(v128.load32_splat(frame + 4), variance), f32x4.lt(value, limit));
      weight = f32x4.add(weight, w);
      sum = f32x4.add(sum, f32x4.mul(f32x4.mul(w, value), v128.load32_splat(frame)));
    }
    v128.store(weights + (i << 2), weight);
    v128.store(sums + (i << 2), sum);
  }
}

/** Sums become weighted means in place, `n` a multiple of four; returns whether some sample had no weight (its mean is not a number). */
export function settle(weights: usize, sums: usize, n: usize): bool {
  let empty = i32x4.splat(0);
  const none = f32x4.splat(0);
  for (let i: usize = 0; i < n; i += 4) {
    const w = v128.load(weights + (i << 2));
    empty = v128.or(empty, f32x4.eq(w, none));
    v128.store(sums + (i << 2), f32x4.div(v128.load(sums + (i << 2)), w));
  }
  return v128.any_true(empty);
}
