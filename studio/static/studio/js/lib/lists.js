/** Whether two lists hold the very same things in the same order. */
export const isAlike = (one, other) => one.length === other.length && one.every((thing, k) => thing === other[k]);

/** Things of a list by what they have in common, in the order of the list. */
export function groupedBy(things, nameOf) {
  const groups = new Map();
  for (const thing of things) {
    const name = nameOf(thing);
    if (!groups.has(name)) groups.set(name, []);
    groups.get(name).push(thing);
  }
  return groups;
}

/** The stretches [first, end] of whole numbers below a limit that are in a set. */
export function stretchesOf(set, limit) {
  const found = [];
  for (let k = 0; k < limit; k += 1) {
    if (!set.has(k)) continue;
    if (found.at(-1)?.[1] === k) found.at(-1)[1] = k + 1;
    else found.push([k, k + 1]);
  }
  return found;
}
