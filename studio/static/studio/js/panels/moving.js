// Turning values into keyed, swinging and computed ones, keeping what they show now.

import { setOperations } from "../lib/json-patch.js";
import { colourAt, keyedAt, withKey } from "../lib/keys.js";
import { plainWords } from "../lib/words.js";
import { canMove, sortOf } from "../lib/sort.js";

/** The number that a value shows at the playhead. */
export function numberNow(store, pointer, raw) {
  if (typeof raw === "number") return raw;
  if (raw.sort === "keyed") return Number(keyedAt(raw, store.state.frame).toPrecision(6));
  return Number((store.liveValue(pointer) ?? raw.base ?? raw.middle ?? 0).toPrecision(6));
}

/** The colour that a value shows at the playhead. */
function colourNow(store, pointer, raw) {
  if (typeof raw === "string") return raw;
  if (raw.sort === "keyed") return colourAt(raw, store.state.frame);
  return store.liveValue(pointer) ?? raw.from ?? "#ffffff";
}

/** What a keyed value is at the playhead, a number or a colour. */
export function keyedNow(store, pointer, raw) {
  return (typeof raw.keys[0].value === "string" ? colourNow : numberNow)(store, pointer, raw);
}

/** Write a value; of a whole that is not written yet, the other parts are written with it. */
function write(store, pointer, setting, value) {
  const whole = setting?.wholeAt;
  if (!whole || store.valueAt(whole) !== undefined) store.setValue(pointer, value);
  else store.edit([...setOperations(store.document, whole, setting.whole), { op: "replace", path: pointer, value }]);
}

/** Set a key at the playhead; what cannot have keys tells why. */
export function keyValue(store, pointer, setting) {
  const raw = store.valueAt(pointer) ?? setting?.default;
  const sort = sortOf(raw);
  const { frame } = store.state;
  if (sort === "keyed")
    store.setValue(pointer, { ...raw, keys: withKey(raw.keys, frame, keyedNow(store, pointer, raw)) });
  else if (!canMove(setting, pointer)) store.set({ problem: "This value stays the same over all frames." });
  else if (sort === "fixed")
    write(store, pointer, setting, { sort: "keyed", keys: [{ frame, value: raw, ease: "smooth" }] });
  else {
    const name = plainWords(setting.name);
    const words = sort === "swing" ? `${name} swings` : `${name} follows a formula`;
    store.set({ problem: `${words}: let it have keys among its settings first.` });
  }
}

/** Remove the key of that number; a value whose last key goes stays as it is. */
export function dropKey(store, pointer, raw, number) {
  const keys = raw.keys.filter((_, index) => index !== number);
  store.setValue(pointer, keys.length ? { ...raw, keys } : raw.keys[0].value);
}

/** Turn a value into another sort. */
export function convertValue(store, setting, pointer, sort) {
  const raw = store.valueAt(pointer) ?? setting.default;
  const { frame } = store.state;
  const isColour = setting.sort === "colour";
  const start = isColour ? colourNow(store, pointer, raw) : numberNow(store, pointer, raw);
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
