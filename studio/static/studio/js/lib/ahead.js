// Which of the frames that will play are wanted next.

import { wrapped } from "./numbers.js";

/**
 * Frames of a stretch in the order in which their pictures are wanted: from the shown one on, at first only every so
 * many-th, so that some of what plays comes in time, then all between them.
 * @param {number} shown the frame from which on
 * @param {[number, number]} stretch the first frame that plays and the one before which it begins again
 * @param {number} each of how many frames one is wanted before the others; below 0 the way goes back
 */
export function framesAhead(shown, [first, end], each = 1) {
  const count = end - first;
  const from = Math.min(Math.max(shown - first, 0), count - 1);
  const way = Math.sign(each);
  const frames = Array.from({ length: count }, (_, k) => first + ((from + way * k + count) % count));
  return [...frames.filter((_, k) => k % each === 0), ...frames.filter((_, k) => k % each !== 0)];
}

/** How far a playhead went from one frame to another, the short way round. */
export function wayBetween(before, shown, [first, end]) {
  const count = end - first;
  const way = wrapped(shown - before, count);
  return way > count / 2 ? way - count : way;
}

/**
 * Which frame can be shown of those that played since the shown one: the last that is there, or null.
 * @param {number} due the frame that belongs to this moment
 * @param {number} most so many frames may be left out; after more, or where the way leads back, it is late
 * @returns {{found: number|null, isLate: boolean}}
 */
export function lastThere(shown, due, [first, end], most, isThere) {
  const way = wayBetween(shown, due, [first, end]);
  const isFar = way <= 0 || way > most + 1 || shown < first || shown >= end;
  if (isFar && isThere(due)) return { found: due, isLate: false };
  for (let back = 0; back < Math.min(way, most + 1); back += 1) {
    const at = first + wrapped(due - first - back, end - first);
    if (isThere(at)) return { found: at, isLate: isFar };
  }
  return { found: null, isLate: isFar };
}

/** Of how many frames one can be had in time, if each takes so many milliseconds and so many play in a second. */
export function reachable(took, fps, most = 8) {
  return Math.min(most, Math.max(1, Math.ceil((took * fps) / 1000)));
}
