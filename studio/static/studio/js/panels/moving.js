// Turning values into keyed, swinging and computed ones, keeping what they show now.

import { setOperations } from "../lib/json-patch.js";
import { withKey } from "../lib/keys.js";
import { sortOf } from "../lib/sort.js";

/** The number that a value shows at the playhead. */
export function numberNow(store, pointer, raw) {
  if (typeof raw === "number") return raw;
  return Number((store.liveValue(pointer) ?? raw.base ?? raw.middle ?? raw.keys?.[0]?.value ?? 0).toPrecision(6));
}

function firstColour(raw) {
  if (typeof raw === "string") return raw;
  return raw.from ?? raw.keys?.[0]?.value ?? "#ffffff";
}

/** Write a value; of a whole that is not written yet, the other parts are written with it. */
function write(store, pointer, setting, value) {
  const whole = setting?.wholeAt;
  if (!whole || store.valueAt(whole) !== undefined) store.setValue(pointer, value);
  else store.edit([...setOperations(store.document, whole, setting.whole), { op: "replace", path: pointer, value }]);
}

/** Set a key at the playhead. */
export function keyValue(store, pointer, setting) {
  const raw = store.valueAt(pointer) ?? setting?.default;
  const sort = sortOf(raw);
  const { frame } = store.state;
  if (sort === "fixed")
    write(store, pointer, setting, { sort: "keyed", keys: [{ frame, value: raw, ease: "smooth" }] });
  else if (sort === "keyed")
    store.setValue(pointer, { ...raw, keys: withKey(raw.keys, frame, numberNow(store, pointer, raw)) });
}

/** Turn a value into another sort. */
export function convertValue(store, setting, pointer, sort) {
  const raw = store.valueAt(pointer) ?? setting.default;
  const { frame } = store.state;
  const isColour = setting.sort === "colour";
  const start = isColour ? firstColour(raw) : numberNow(store, pointer, raw);
  const [low, high] = setting.soft;
  const amount = Number((((high ?? 100) - (low ?? 0)) / 8).toPrecision(2));
  const made = {
    fixed: start,
    keyed: { sort: "keyed", keys: [{ frame, value: start, ease: "smooth" }] },
    swing: isColour
      ? { sort: "swing", from: start, to: "#f2a63b", times: 1 }
      : { sort: "swing", middle: start, amount, times: 1 },
    formula: isColour
      ? { sort: "formula", text: "0.5 + 0.5 * wave(turn)", from: start, to: "#f2a63b" }
      : { sort: "formula", text: `base + ${amount} * wave(turn)`, base: start },
  }[sort];
  write(store, pointer, setting, made);
}
