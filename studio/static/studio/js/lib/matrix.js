// Places as 3×4 matrices in rows, the way packets hold them; turns in degrees about x, then y, then z.

const RADIANS = Math.PI / 180;

export const IDENTITY = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0];

/** Return outer after inner. */
export function multiply(a, b) {
  const out = [];
  for (let r = 0; r < 3; r += 1) {
    for (let c = 0; c < 4; c += 1) {
      out.push(a[r * 4] * b[c] + a[r * 4 + 1] * b[4 + c] + a[r * 4 + 2] * b[8 + c] + (c === 3 ? a[r * 4 + 3] : 0));
    }
  }
  return out;
}

/** Carry a point along. */
export const carry = (m, p) =>
  [0, 1, 2].map((r) => m[r * 4] * p[0] + m[r * 4 + 1] * p[1] + m[r * 4 + 2] * p[2] + m[r * 4 + 3]);

/** Carry a direction along. */
export const carryWay = (m, p) => [0, 1, 2].map((r) => m[r * 4] * p[0] + m[r * 4 + 1] * p[1] + m[r * 4 + 2] * p[2]);

/** Return the direction whose image is `way`; null where the matrix flattens space. */
export function carryBack(m, way) {
  const [a, b, c] = [0, 1, 2].map((r) => [m[r * 4], m[r * 4 + 1], m[r * 4 + 2]]);
  const cross = (u, v) => [u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]];
  const bc = cross(b, c);
  const det = a[0] * bc[0] + a[1] * bc[1] + a[2] * bc[2];
  if (Math.abs(det) < 1e-12) return null;
  const columns = [bc, cross(c, a), cross(a, b)];
  return [0, 1, 2].map((k) => (columns[0][k] * way[0] + columns[1][k] * way[1] + columns[2][k] * way[2]) / det);
}

/** Return the turn of degrees about x, then y, then z, as a 3×4 matrix. */
export function turning(degrees) {
  const [x, y, z] = degrees.map((angle) => angle * RADIANS);
  const [cx, sx, cy, sy, cz, sz] = [Math.cos(x), Math.sin(x), Math.cos(y), Math.sin(y), Math.cos(z), Math.sin(z)];
  return [
    cz * cy,
    cz * sy * sx - sz * cx,
    cz * sy * cx + sz * sx,
    0,
    sz * cy,
    sz * sy * sx + cz * cx,
    sz * sy * cx - cz * sx,
    0,
    -sy,
    cy * sx,
    cy * cx,
    0,
  ];
}

/** Return the degrees about x, then y, then z of a turn, as near as can be to those it had before. */
export function degreesOf(m, before = [0, 0, 0]) {
  const y = Math.asin(Math.max(-1, Math.min(1, -m[8])));
  const steep = Math.abs(m[8]) > 0.99999;
  const x = steep ? 0 : Math.atan2(m[9], m[10]);
  const z = steep ? Math.atan2(-m[1], m[5]) : Math.atan2(m[4], m[0]);
  return [x, y, z].map((angle, axis) => {
    const degrees = angle / RADIANS;
    return degrees + 360 * Math.round((before[axis] - degrees) / 360);
  });
}

/** Return the place of a position, a turn in degrees and a scale. */
export function place(position, rotation, scale) {
  const m = turning(rotation);
  for (let r = 0; r < 3; r += 1) {
    for (let c = 0; c < 3; c += 1) m[r * 4 + c] *= scale[c];
    m[r * 4 + 3] = position[r];
  }
  return m;
}
