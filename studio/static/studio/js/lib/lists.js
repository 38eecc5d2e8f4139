/** Whether two lists hold the very same things in the same order. */
export const isAlike = (one, other) => one.length === other.length && one.every((thing, k) => thing === other[k]);
