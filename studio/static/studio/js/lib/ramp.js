// Response curves as plain data: points [in, out] within 0 to 1, in the order of what goes in.

const FEWEST = 2;
const within = (value, low = 0, high = 1) => Number(Math.min(Math.max(value, low), high).toFixed(3));

/** Points of which one stands elsewhere, never beyond its neighbours. */
export function movedPoint(points, index, [x, y]) {
  const low = index ? points[index - 1][0] : 0;
  const high = index < points.length - 1 ? points[index + 1][0] : 1;
  return points.map((point, k) => (k === index ? [within(x, low, high), within(y)] : point));
}

/** Points and one more after another: at a place, or half the way to the next one. */
export function addedPoint(points, index, place = null) {
  const at = Math.max(index, 0);
  const one = points[at];
  const other = points[at + 1] ?? [1, one[1]];
  const [x, y] = place ?? [(one[0] + other[0]) / 2, (one[1] + other[1]) / 2];
  const next = index < 0 ? 0 : at + 1;
  return [...points.slice(0, next), [within(x), within(y)], ...points.slice(next)];
}

/** Points without one of them; as many as a curve needs stay. */
export const withoutPoint = (points, index) => (points.length > FEWEST ? points.filter((_, k) => k !== index) : points);
