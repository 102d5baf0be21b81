/**
 * Shapes of the simulated set. Rays are (origin, unit direction); `hit` returns the distance in metres or Infinity and,
 * when asked, writes the unit normal. All in the world frame of CONVENTIONS.md section 1.
 */
export interface Shape {
  id: number;
  material: Material;
  /** Bounding sphere: x, y, z, radius. */
  bound: readonly [number, number, number, number];
  hit(ox: number, oy: number, oz: number, dx: number, dy: number, dz: number): number;
  normal(px: number, py: number, pz: number, out: Float64Array): void;
  /** The same shape grown by `margin` metres: could it cast a penumbra on this ray? */
  near(ox: number, oy: number, oz: number, dx: number, dy: number, dz: number, margin: number): boolean;
}

/** Writes the reflectance (linear Rec. 709) at a point seen with a footprint in metres. */
export type Material = (
  px: number,
  py: number,
  pz: number,
  footprint: number,
  normal: Float64Array,
  out: Float64Array,
) => void;

const EPSILON = 1e-4;

export interface BoxBounds {
  west: number;
  east: number;
  bottom: number;
  top: number;
  north: number;
  south: number;
}

/** Axis-aligned box; `north` and `south` in metres north of the origin. */
export function box(id: number, b: BoxBounds, material: Material): Shape {
  const [x0, y0, z0, x1, y1, z1] = [b.west, b.bottom, -b.north, b.east, b.top, -b.south];
  // Written out per axis: this is the renderer's innermost loop.
  const enter = (
    ox: number,
    oy: number,
    oz: number,
    dx: number,
    dy: number,
    dz: number,
    m: number,
    leaving: boolean,
  ) => {
    const ix = 1 / dx;
    const ax = (x0 - m - ox) * ix;
    const bx = (x1 + m - ox) * ix;
    let near = ax < bx ? ax : bx;
    let far = ax < bx ? bx : ax;
    const iy = 1 / dy;
    const ay = (y0 - m - oy) * iy;
    const by = (y1 + m - oy) * iy;
    near = Math.max(near, ay < by ? ay : by);
    far = Math.min(far, ay < by ? by : ay);
    if (near > far) return Infinity;
    const iz = 1 / dz;
    const az = (z0 - m - oz) * iz;
    const bz = (z1 + m - oz) * iz;
    near = Math.max(near, az < bz ? az : bz);
    far = Math.min(far, az < bz ? bz : az);
    if (near > far) return Infinity;
    if (leaving) return far > EPSILON ? far : Infinity;
    return near > EPSILON ? near : Infinity;
  };
  return {
    id,
    material,
    bound: [(x0 + x1) / 2, (y0 + y1) / 2, (z0 + z1) / 2, Math.hypot(x1 - x0, y1 - y0, z1 - z0) / 2],
    hit: (ox, oy, oz, dx, dy, dz) => enter(ox, oy, oz, dx, dy, dz, 0, false),
    normal(px, py, pz, out) {
      out.fill(0);
      const gaps = [px - x0, x1 - px, py - y0, y1 - py, pz - z0, z1 - pz].map(Math.abs);
      const side = gaps.indexOf(Math.min(...gaps));
      out[side >> 1] = side % 2 === 0 ? -1 : 1;
    },
    near: (ox, oy, oz, dx, dy, dz, margin) => enter(ox, oy, oz, dx, dy, dz, margin, true) < Infinity,
  };
}

/** Upright cylinder with a flat top. */
export function cylinder(
  id: number,
  c: { east: number; north: number; bottom: number; top: number; radius: number },
  material: Material,
): Shape {
  const cx = c.east;
  const cz = -c.north;
  const trace = (ox: number, oy: number, oz: number, dx: number, dy: number, dz: number, r: number, top: number) => {
    const fx = ox - cx;
    const fz = oz - cz;
    const a = dx * dx + dz * dz;
    const b = fx * dx + fz * dz;
    const disc = b * b - a * (fx * fx + fz * fz - r * r);
    let best = Infinity;
    if (disc >= 0 && a > 1e-12) {
      const root = Math.sqrt(disc);
      const t0 = (-b - root) / a;
      const h0 = oy + t0 * dy;
      const t1 = (-b + root) / a;
      const h1 = oy + t1 * dy;
      if (t0 > EPSILON && h0 >= c.bottom && h0 <= top) best = t0;
      else if (t1 > EPSILON && h1 >= c.bottom && h1 <= top) best = t1;
    }
    if (Math.abs(dy) > 1e-12) {
      const t = (top - oy) / dy;
      const x = fx + t * dx;
      const z = fz + t * dz;
      if (t > EPSILON && t < best && x * x + z * z <= r * r) best = t;
    }
    return best;
  };
  return {
    id,
    material,
    bound: [cx, (c.bottom + c.top) / 2, cz, Math.hypot(c.radius, (c.top - c.bottom) / 2)],
    hit: (ox, oy, oz, dx, dy, dz) => trace(ox, oy, oz, dx, dy, dz, c.radius, c.top),
    normal(px, py, pz, out) {
      if (py >= c.top - 1e-6) {
        out[0] = 0;
        out[1] = 1;
        out[2] = 0;
        return;
      }
      out[0] = (px - cx) / c.radius;
      out[1] = 0;
      out[2] = (pz - cz) / c.radius;
    },
    near: (ox, oy, oz, dx, dy, dz, margin) =>
      (ox - cx) ** 2 + (oz - cz) ** 2 < (c.radius + margin) ** 2 ||
      trace(ox, oy, oz, dx, dy, dz, c.radius + margin, c.top + margin) < Infinity,
  };
}

export function sphere(
  id: number,
  s: { east: number; north: number; up: number; radius: number },
  material: Material,
): Shape {
  const trace = (ox: number, oy: number, oz: number, dx: number, dy: number, dz: number, r: number) => {
    const fx = ox - s.east;
    const fy = oy - s.up;
    const fz = oz + s.north;
    const b = fx * dx + fy * dy + fz * dz;
    const disc = b * b - (fx * fx + fy * fy + fz * fz - r * r);
    if (disc < 0) return Infinity;
    const root = Math.sqrt(disc);
    return -b - root > EPSILON ? -b - root : -b + root > EPSILON ? -b + root : Infinity;
  };
  return {
    id,
    material,
    bound: [s.east, s.up, -s.north, s.radius],
    hit: (ox, oy, oz, dx, dy, dz) => trace(ox, oy, oz, dx, dy, dz, s.radius),
    normal(px, py, pz, out) {
      out[0] = (px - s.east) / s.radius;
      out[1] = (py - s.up) / s.radius;
      out[2] = (pz + s.north) / s.radius;
    },
    near: (ox, oy, oz, dx, dy, dz, margin) => trace(ox, oy, oz, dx, dy, dz, s.radius + margin) < Infinity,
  };
}

/** Upright rectangle facing an azimuth, its back side the same material. */
export function panel(
  id: number,
  p: { east: number; north: number; up: number; width: number; height: number; facingDeg: number; leanDeg?: number },
  material: Material,
): Shape {
  const a = (p.facingDeg * Math.PI) / 180;
  const lean = ((p.leanDeg ?? 0) * Math.PI) / 180;
  const [nx, ny, nz] = [Math.sin(a) * Math.cos(lean), Math.sin(lean), -Math.cos(a) * Math.cos(lean)];
  const [ux, uz] = [Math.cos(a), Math.sin(a)];
  const [vx, vy, vz] = [-Math.sin(a) * Math.sin(lean), Math.cos(lean), Math.cos(a) * Math.sin(lean)];
  const trace = (ox: number, oy: number, oz: number, dx: number, dy: number, dz: number, margin: number) => {
    const facing = dx * nx + dy * ny + dz * nz;
    if (Math.abs(facing) < 1e-9) return Infinity;
    const t = ((p.east - ox) * nx + (p.up - oy) * ny + (-p.north - oz) * nz) / facing;
    if (t <= EPSILON) return Infinity;
    const [x, y, z] = [ox + t * dx - p.east, oy + t * dy - p.up, oz + t * dz + p.north];
    const u = x * ux + z * uz;
    const v = x * vx + y * vy + z * vz;
    return Math.abs(u) <= p.width / 2 + margin && Math.abs(v) <= p.height / 2 + margin ? t : Infinity;
  };
  return {
    id,
    material,
    bound: [p.east, p.up, -p.north, Math.hypot(p.width, p.height) / 2],
    hit: (ox, oy, oz, dx, dy, dz) => trace(ox, oy, oz, dx, dy, dz, 0),
    normal(_px, _py, _pz, out) {
      out[0] = nx;
      out[1] = ny;
      out[2] = nz;
    },
    near: (ox, oy, oz, dx, dy, dz, margin) => trace(ox, oy, oz, dx, dy, dz, margin) < Infinity,
  };
}
