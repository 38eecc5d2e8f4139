// How much moves from one frame to the next, from what the page holds of both.

const SAMPLES = 48;

/** Up to so many rows spread over a list. */
function spread(count) {
  const step = Math.max(1, Math.floor(count / SAMPLES));
  return Array.from({ length: Math.ceil(count / step) }, (_, k) => k * step);
}

/** The mean way that copies' places and turns make: of their origins and of the ends of their axes. */
function ofPlaces(a, b, count) {
  let sum = 0;
  const rows = spread(count);
  for (const row of rows) {
    const at = row * 12;
    for (const axis of [null, 0, 1, 2]) {
      let square = 0;
      for (let k = 0; k < 3; k += 1) {
        const reach = axis === null ? 0 : 20;
        const by =
          b[at + k * 4 + 3] - a[at + k * 4 + 3] + (reach ? reach * (b[at + k * 4 + axis] - a[at + k * 4 + axis]) : 0);
        square += by * by;
      }
      sum += Math.sqrt(square) / 4;
    }
  }
  return rows.length ? sum / rows.length : 0;
}

/** The mean way that points make within their form; both are packed into 16 bits between their corners. */
function ofPoints(a, b, one, two) {
  let sum = 0;
  const rows = spread(Math.min(one.pointCount, two.pointCount));
  for (const row of rows) {
    let square = 0;
    for (let k = 0; k < 3; k += 1) {
      const at = (packed, of) => of.low[k] + (packed[row * 4 + k] / 65535) * (of.high[k] - of.low[k]);
      square += (at(b, two) - at(a, one)) ** 2;
    }
    sum += Math.sqrt(square);
  }
  return rows.length ? sum / rows.length : 0;
}

/**
 * How far things move on average from one held frame to another, in scene units; null if nothing can be compared.
 *
 * Where points come and go, so that none can be followed from frame to frame, those that carry their speed count by it.
 */
export function paceBetween(one, two, buffers, fps) {
  let sum = 0;
  let count = 0;
  for (const [index, drawable] of two.drawables.entries()) {
    const isSame = (other) => other?.figure === drawable.figure && other.part === drawable.part;
    // Nearly always it stands where it stood.
    const before = isSame(one.drawables[index]) ? one.drawables[index] : one.drawables.find(isSame);
    if (!before) continue;
    if (drawable.speed !== undefined) {
      sum += drawable.speed / fps;
      count += 1;
      continue;
    }
    if (before.count !== drawable.count || before.pointCount !== drawable.pointCount) continue;
    count += 1;
    if (before.matrices !== drawable.matrices)
      sum += ofPlaces(buffers.get(before.matrices), buffers.get(drawable.matrices), drawable.count);
    if (before.points !== drawable.points)
      sum += ofPoints(buffers.get(before.points), buffers.get(drawable.points), before, drawable);
  }
  return count ? sum / count : null;
}

/** The pace at every frame of a scene, or null where a frame or its neighbour is not held. */
export function pacesOf(headers, buffers, { frames, loops, fps }) {
  return Array.from({ length: frames }, (_, frame) => {
    const next = frame + 1 < frames ? frame + 1 : loops ? 0 : null;
    const [one, two] = [headers.get(frame), next === null ? null : headers.get(next)];
    return one && two ? paceBetween(one, two, buffers, fps) : null;
  });
}
