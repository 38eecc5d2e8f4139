// Response curves as plain data: points within 0 to 1, in the order of what goes in. A corner is [in, out]; a point with
// handles is { at: [in, out], arrive: […], leave: […] }, the handles told from the point. As values/response.py.

const FEWEST = 2;
const STEPS = 24;
const clamped = (value, low = 0, high = 1) => Math.min(Math.max(value, low), high);
const within = (value, low, high) => Number(clamped(value, low, high).toFixed(3));

/** Where a point stands. */
export const placeOf = (point) => (Array.isArray(point) ? point : point.at);
export const isRound = (point) => !Array.isArray(point) && Boolean(point.arrive || point.leave);
/** A point as it is, but standing elsewhere. */
const standing = (point, at) => (Array.isArray(point) ? at : { ...point, at });
const replaced = (points, index, point) => points.map((one, k) => (k === index ? point : one));

/** Points of which one stands elsewhere, never beyond its neighbours. */
export function movedPoint(points, index, [x, y]) {
  const low = index ? placeOf(points[index - 1])[0] : 0;
  const high = index < points.length - 1 ? placeOf(points[index + 1])[0] : 1;
  return replaced(points, index, standing(points[index], [within(x, low, high), within(y)]));
}

/** Points and one more after another: at a place, or half the way to the next one. */
export function addedPoint(points, index, place = null) {
  const at = Math.max(index, 0);
  const one = placeOf(points[at]);
  const other = points[at + 1] ? placeOf(points[at + 1]) : [1, one[1]];
  const [x, y] = place ?? [(one[0] + other[0]) / 2, (one[1] + other[1]) / 2];
  const next = index < 0 ? 0 : at + 1;
  return [...points.slice(0, next), [within(x), within(y)], ...points.slice(next)];
}

/** Points without one of them; as many as a curve needs stay. */
export const withoutPoint = (points, index) => (points.length > FEWEST ? points.filter((_, k) => k !== index) : points);

/** Points of which one has become a corner, or round: its handles lie along its neighbours, a third of the way there. */
export function rounded(points, index) {
  const at = placeOf(points[index]);
  if (isRound(points[index])) return replaced(points, index, at);
  const before = placeOf(points[Math.max(index - 1, 0)]);
  const after = placeOf(points[Math.min(index + 1, points.length - 1)]);
  const steep = after[0] > before[0] ? (after[1] - before[1]) / (after[0] - before[0]) : 0;
  const handle = (way) => [within(way / 3, -1, 1), within((steep * way) / 3, -1, 1)];
  const handles = {};
  if (index) handles.arrive = handle(before[0] - at[0]);
  if (index < points.length - 1) handles.leave = handle(after[0] - at[0]);
  return replaced(points, index, { at, ...handles });
}

const OTHER = { arrive: "leave", leave: "arrive" };

/**
 * Points of which one has a handle elsewhere. The other one turns with it and stays as long as it is.
 * @param {string} name "arrive" or "leave"
 * @param {number[]} handle told from its point
 * @param {boolean} alone leave the other handle as it is
 */
export function movedHandle(points, index, name, [x, y], alone = false) {
  const point = points[index];
  const [low, high] = name === "arrive" ? [-1, 0] : [0, 1];
  const moved = [within(x, low, high), within(y, -1, 1)];
  const other = point[OTHER[name]];
  const length = Math.hypot(...moved);
  const turned =
    other && !alone && length > 0
      ? { [OTHER[name]]: moved.map((part) => within((-part / length) * Math.hypot(...other), -1, 1)) }
      : {};
  return replaced(points, index, { ...point, [name]: moved, ...turned });
}

/** Points of which one has lost a handle; without both it is a corner. */
export function withoutHandle(points, index, name) {
  const { [name]: _, ...rest } = points[index];
  return replaced(points, index, isRound(rest) ? rest : rest.at);
}

/** Where a handle ends, shortened so that the curve never turns back. */
export function reached(at, handle, other) {
  if (!handle) return at;
  const share = handle[0] ? Math.min(Math.abs(other[0] - at[0]) / Math.abs(handle[0]), 1) : 1;
  return [at[0] + handle[0] * share, at[1] + handle[1] * share];
}

/** Corners [in, out] of a curve that is straight between them: what its round parts are told by. */
export function straightened(points) {
  const rows = [placeOf(points[0])];
  points.slice(1).forEach((point, k) => {
    const [start, end] = [placeOf(points[k]), placeOf(point)];
    const { leave } = points[k];
    const { arrive } = point;
    if (leave || arrive) {
      const [one, other] = [reached(start, leave, end), reached(end, arrive, start)];
      for (let step = 1; step < STEPS; step += 1) {
        const t = step / STEPS;
        const [a, b, c, d] = [(1 - t) ** 3, 3 * t * (1 - t) ** 2, 3 * t ** 2 * (1 - t), t ** 3];
        rows.push([0, 1].map((axis) => clamped(a * start[axis] + b * one[axis] + c * other[axis] + d * end[axis])));
      }
    }
    rows.push(end);
  });
  return rows;
}
