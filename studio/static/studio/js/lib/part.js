// Parts of a picture: left, top, right and bottom, from 0 to 1 of it.

// How far a key moves one, and what it is at least wide and high.
export const STEP = 0.02;
const LEAST = 0.02;

const within = (value, low, high) => Math.min(Math.max(value, low), high);

/** The smallest part from LEAST on that holds two places, each to the right and down, and lies in the picture. */
export function draggedPart(from, to) {
  const ends = [0, 1].map((axis) => {
    const [low, high] = [from[axis], to[axis]].map((value) => within(value, 0, 1)).sort((a, b) => a - b);
    const more = Math.max(0, LEAST - (high - low)) / 2;
    const first = within(low - more, 0, 1 - LEAST);
    return [first, within(high + more, first + LEAST, 1)];
  });
  return [ends[0][0], ends[1][0], ends[0][1], ends[1][1]];
}

/** A part moved to the right and down, no farther than the picture reaches; or only its right and lower sides. */
export function movedPart([left, top, right, bottom], byRight, byDown, isOnlyEnd) {
  if (isOnlyEnd) return [left, top, within(right + byRight, left + LEAST, 1), within(bottom + byDown, top + LEAST, 1)];
  const across = within(byRight, -left, 1 - right);
  const down = within(byDown, -top, 1 - bottom);
  return [left + across, top + down, right + across, bottom + down];
}
