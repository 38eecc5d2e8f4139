// A smooth curve through points, never beyond them between two; the same as kinds/finishes/curves.py.
// Source: F. N. Fritsch and J. Butland, SIAM Journal on Scientific and Statistical Computing 5 (1984).

/** The slope at a curve's end, from its first two stretches and their slopes. */
function endSlope(h, next, slope, nextSlope) {
  const found = ((2 * h + next) * slope - h * nextSlope) / (h + next);
  if (Math.sign(found) !== Math.sign(slope)) return 0;
  return Math.sign(slope) !== Math.sign(nextSlope) && Math.abs(found) > 3 * Math.abs(slope) ? 3 * slope : found;
}

function slopesOf(at, value) {
  const wide = at.slice(1).map((x, k) => x - at[k]);
  const steep = wide.map((h, k) => (value[k + 1] - value[k]) / h);
  const last = at.length - 1;
  if (last === 1) return [steep[0], steep[0]];
  return at.map((_, k) => {
    if (k === 0) return endSlope(wide[0], wide[1], steep[0], steep[1]);
    if (k === last) return endSlope(wide[last - 1], wide[last - 2], steep[last - 1], steep[last - 2]);
    if (steep[k - 1] * steep[k] <= 0) return 0;
    const [a, b] = [2 * wide[k] + wide[k - 1], wide[k] + 2 * wide[k - 1]];
    return (a + b) / (a / steep[k - 1] + b / steep[k]);
  });
}

/**
 * Return a curve's value at a place.
 * @param {number[][]} points two and more [place, value], in the order of their places
 */
export function smooth(points, place) {
  // Of points at one place the last one counts, a little later: a step.
  let least = -Infinity;
  const at = points.map(([x], k) => (least = Math.max(least, x + k * 1e-9)));
  const value = points.map(([, y]) => y);
  const x = Math.min(Math.max(place, at[0]), at.at(-1));
  const k = Math.max(
    0,
    Math.min(
      at.findLastIndex((one) => one <= x),
      at.length - 2,
    ),
  );
  const slopes = slopesOf(at, value);
  const h = at[k + 1] - at[k];
  const t = (x - at[k]) / h;
  const [s, u] = [t * t, t * t * t];
  return (
    value[k] * (2 * u - 3 * s + 1) +
    h * slopes[k] * (u - 2 * s + t) +
    value[k + 1] * (3 * s - 2 * u) +
    h * slopes[k + 1] * (u - s)
  );
}
