// What keys do with a value that slides, as everywhere: arrows by a step, pages by more, Home and End to its ends.

/**
 * Return the value after a key press, or null if the key does nothing with it.
 * @param {string} key
 * @param {number} now
 * @param {{step: number, page: number, least: number, most: number}} of an end that is not given is not led to
 */
export function slid(key, now, { step, page, least, most }) {
  const by = { ArrowLeft: -step, ArrowDown: -step, ArrowRight: step, ArrowUp: step, PageDown: -page, PageUp: page }[
    key
  ];
  if (by !== undefined) return now + by;
  return { Home: least, End: most }[key] ?? null;
}
