// Points of a curve as plain data: what they are now, made smooth or corners, and one more at the end.

import { rounded } from "./values.js";

const PLACES = ["at", "arrive", "leave"];

/** Points whose places and handles are plain numbers; `numberOf(part, way)` tells what a part is now. */
export function nodesNow(nodes, numberOf) {
  return nodes.map((node, index) =>
    Object.fromEntries(
      PLACES.filter((name) => node[name]).map((name) => [
        name,
        node[name].map((part, axis) => numberOf(part, `${index}/${name}/${axis}`)),
      ]),
    ),
  );
}

export const isSmooth = (node) => Boolean(node.arrive || node.leave);

/** Points of which one has become a corner, or smooth along its neighbours; `now` are the same ones in numbers. */
export function toggled(nodes, now, index) {
  const { at } = nodes[index];
  if (isSmooth(nodes[index])) return replaced(nodes, index, { at });
  const before = now[Math.max(index - 1, 0)].at;
  const after = now[Math.min(index + 1, now.length - 1)].at;
  const way = after.map((value, axis) => rounded((value - before[axis]) / 5));
  return replaced(nodes, index, { at, arrive: way.map((value) => -value), leave: way });
}

/** Points and one more, as far on from the last as that is from the one before. */
export function lengthened(nodes, now) {
  const last = now.at(-1).at;
  const before = now.at(-2)?.at ?? [last[0] - 40, last[1], last[2]];
  return [...nodes, { at: last.map((value, axis) => rounded(2 * value - before[axis])) }];
}

export const replaced = (nodes, index, node) => nodes.map((one, k) => (k === index ? node : one));
