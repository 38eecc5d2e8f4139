// Gradients as plain data: stops {at, colour}, at from 0 to 1 in any order.

const within = (at) => Number(Math.min(Math.max(at, 0), 1).toFixed(3));
const parts = (colour) => [1, 3, 5].map((start) => Number.parseInt(colour.slice(start, start + 2), 16));
const inOrder = (stops) => [...stops].sort((a, b) => a.at - b.at);

/** The colour at a place, as the strip shows it. */
export function colourAt(stops, at) {
  const sorted = inOrder(stops);
  const after = sorted.findIndex((stop) => stop.at > at);
  if (after === 0 || sorted.length === 1) return sorted[0].colour;
  if (after < 0) return sorted.at(-1).colour;
  const [one, other] = [sorted[after - 1], sorted[after]];
  const share = (at - one.at) / (other.at - one.at);
  const mixed = parts(one.colour).map((part, k) => Math.round(part + share * (parts(other.colour)[k] - part)));
  return `#${mixed.map((part) => part.toString(16).padStart(2, "0")).join("")}`;
}

/** Stops and one more: at a place, or in the middle of the widest gap, of the colour that is there. */
export function addedStop(stops, place = null) {
  const at = within(place ?? widestGap(stops));
  return [...stops, { at, colour: colourAt(stops, at) }];
}

function widestGap(stops) {
  const places = [0, ...inOrder(stops).map((stop) => stop.at), 1];
  const gaps = places.slice(1).map((at, k) => ({ middle: (at + places[k]) / 2, wide: at - places[k] }));
  return gaps.reduce((widest, gap) => (gap.wide > widest.wide ? gap : widest)).middle;
}

/** Stops of which one stands elsewhere. */
export const movedStop = (stops, index, at) =>
  stops.map((stop, k) => (k === index ? { ...stop, at: within(at) } : stop));

/** Stops without one of them; the last one stays. */
export const withoutStop = (stops, index) => (stops.length > 1 ? stops.filter((_, k) => k !== index) : stops);
