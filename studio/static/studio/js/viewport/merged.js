// Many small copies as one mesh, carried to their places here: without a graphics card each instance costs as much as
// a thousand points.

import { DrawnSurface } from "./drawn.js";

const MOST_POINTS = 160_000;
const MOST_POINTS_EACH = 1024;

/** Whether a drawable's surface is better drawn as one mesh. */
export function isMerged(one, look) {
  const isPlain = look.kind === "surface" && !look.texture && !one.reach;
  return isPlain && one.count > 1 && one.pointCount <= MOST_POINTS_EACH && one.count * one.pointCount <= MOST_POINTS;
}

/** Unpack points (16 bits between two corners) and normals (folded octahedra) into floats. */
function unpacked(packed, count, low, high) {
  const points = new Float32Array(count * 3);
  const normals = new Float32Array(count * 3);
  const extent = high.map((value, axis) => value - low[axis]);
  for (let v = 0; v < count; v += 1) {
    for (let axis = 0; axis < 3; axis += 1)
      points[v * 3 + axis] = low[axis] + (packed[v * 4 + axis] / 65535) * extent[axis];
    let x = (packed[count * 4 + v * 2] / 65535) * 2 - 1;
    let y = (packed[count * 4 + v * 2 + 1] / 65535) * 2 - 1;
    const z = 1 - Math.abs(x) - Math.abs(y);
    if (z < 0) [x, y] = [(1 - Math.abs(y)) * (x >= 0 ? 1 : -1), (1 - Math.abs(x)) * (y >= 0 ? 1 : -1)];
    normals.set([x, y, z], v * 3);
  }
  return { points, normals };
}

/** Write points and normals as they are in every copy's place. */
function carry({ points, normals }, matrices, places, facings) {
  const size = points.length;
  for (let k = 0, at = 0; at < places.length; k += 12) {
    const [a, b, c, x, d, e, f, y, g, h, i, z] = matrices.subarray(k, k + 12);
    // Normals follow the cofactors, which exist for flattened copies too.
    const [a2, b2, c2] = [e * i - f * h, f * g - d * i, d * h - e * g];
    const [d2, e2, f2] = [c * h - b * i, a * i - c * g, b * g - a * h];
    const [g2, h2, i2] = [b * f - c * e, c * d - a * f, a * e - b * d];
    for (let v = 0; v < size; v += 3, at += 3) {
      const [p, q, r] = [points[v], points[v + 1], points[v + 2]];
      places[at] = a * p + b * q + c * r + x;
      places[at + 1] = d * p + e * q + f * r + y;
      places[at + 2] = g * p + h * q + i * r + z;
      const [l, m, n] = [normals[v], normals[v + 1], normals[v + 2]];
      facings[at] = a2 * l + b2 * m + c2 * n;
      facings[at + 1] = d2 * l + e2 * m + f2 * n;
      facings[at + 2] = g2 * l + h2 * m + i2 * n;
    }
  }
}

/** The indices of a mesh, once for each copy. */
function repeated(index, count, step) {
  const out = new Uint32Array(index.length * count);
  for (let k = 0, at = 0; k < count; k += 1)
    for (let j = 0; j < index.length; j += 1, at += 1) out[at] = index[j] + k * step;
  return out;
}

export class MergedSurface extends DrawnSurface {
  constructor(shared, look) {
    super(shared, look, { MERGED: 1 });
    this.geometry.instanceCount = 1;
  }

  feedShape(one, look, buffers) {
    const { count, pointCount } = one;
    const shape = `${one.points} ${one.low} ${one.high}`;
    this.fed("local", shape, () => (this.local = unpacked(buffers.get(one.points), pointCount, one.low, one.high)));
    this.fed("places", `${shape} ${one.matrices}`, () => {
      const places = this.floats("place", count * pointCount, 3);
      carry(this.local, buffers.get(one.matrices), places, this.floats("facing", count * pointCount, 3));
    });
    this.fed("triangles", `${one.triangles} ${count} ${pointCount}`, () =>
      this.index(repeated(buffers.get(one.triangles), count, pointCount)),
    );
    this.fed("tints", `${look.tints} ${look.pointTints} ${count} ${pointCount}`, () => {
      const own = look.tints && buffers.get(look.tints);
      const ofPoints = look.pointTints && buffers.get(look.pointTints);
      const tints = this.floats("tint", count * pointCount, 4);
      const gains = this.floats("gain", count * pointCount, 1);
      this.isOpen = { tint: false };
      for (let at = 0; at < count * pointCount; at += 1) {
        const k = Math.floor(at / pointCount) * 5;
        const v = (at % pointCount) * 5;
        const value = (c) => (own ? own[k + c] : 1) * (ofPoints ? ofPoints[v + c] : 1);
        for (let c = 0; c < 4; c += 1) tints[at * 4 + c] = value(c);
        gains[at] = value(4);
        this.isOpen.tint ||= tints[at * 4 + 3] < 1;
      }
    });
    this.material.uniforms.uPointCount.value = pointCount;
  }
}
