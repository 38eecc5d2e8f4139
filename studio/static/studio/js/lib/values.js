// Writing values whatever sort they are: a handle in the view moves a key, a swing's middle or a formula's base.

import { recorded, withKey } from "./keys.js";
import { sortOf } from "./sort.js";

/**
 * Return a value that shows a number now, of the same sort as before.
 * @param {*} raw the value in the document
 * @param {number} shown what it shows at the frame
 * @param {number} wanted what it should show
 * @param {number} frame
 * @param {boolean} recording whether a fixed value gets keys
 */
export function movedTo(raw, shown, wanted, frame, recording = false) {
  const sort = sortOf(raw);
  const by = Number((wanted - shown).toPrecision(9));
  if (sort === "keyed") return { ...raw, keys: withKey(raw.keys, frame, rounded(wanted)) };
  if (sort === "swing") return { ...raw, middle: rounded((raw.middle ?? 0) + by) };
  if (sort === "formula")
    return {
      ...raw,
      base: rounded((raw.base ?? 0) + by),
      ...(usesBase(raw.text) ? {} : { text: `(${raw.text}) + base` }),
    };
  return recording ? recorded(raw, rounded(wanted), frame) : rounded(wanted);
}

const usesBase = (text) => /\bbase\b/.test(text ?? "");
export const rounded = (value) => Number(value.toFixed(3));

/** Return a vector that shows other numbers now; parts that need not change stay as they are. */
export const vectorMovedTo = (raw, shown, wanted, frame, recording = false) =>
  raw.map((part, axis) =>
    Math.abs(wanted[axis] - shown[axis]) < 1e-6 ? part : movedTo(part, shown[axis], wanted[axis], frame, recording),
  );
