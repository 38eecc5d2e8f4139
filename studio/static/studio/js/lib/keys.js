// Keys of a value as plain data: what lies between them, and moving, stretching, easing, copying and pasting them.

import { wrapped } from "./numbers.js";
import { sortOf } from "./sort.js";

export const EASES = ["smooth", "linear", "hold", "handles"];
const byFrame = (a, b) => a.frame - b.frame;

/** Return keys in their order, each with the place in the list it came from. */
export const inOrder = (keys) => keys.map((key, index) => ({ ...key, index })).sort(byFrame);

function bezier(left, right, frame) {
  const span = right.frame - left.frame;
  const clamp = (value, low, high) => Math.min(Math.max(value, low), high);
  const x1 = clamp((left.leave ?? [0, 0])[0], 0, span) / span;
  const x2 = 1 + clamp((right.arrive ?? [0, 0])[0], -span, 0) / span;
  const goal = (frame - left.frame) / span;
  let low = 0;
  let high = 1;
  for (let k = 0; k < 40; k += 1) {
    const s = (low + high) / 2;
    if (3 * (1 - s) ** 2 * s * x1 + 3 * (1 - s) * s * s * x2 + s ** 3 < goal) low = s;
    else high = s;
  }
  const s = (low + high) / 2;
  const v1 = left.value + (left.leave ?? [0, 0])[1];
  const v2 = right.value + (right.arrive ?? [0, 0])[1];
  return (1 - s) ** 3 * left.value + 3 * (1 - s) ** 2 * s * v1 + 3 * (1 - s) * s * s * v2 + s ** 3 * right.value;
}

function inside(keys, frame) {
  const index = keys.findLastIndex((key) => key.frame <= frame);
  if (index < 0) return keys[0].value;
  if (index === keys.length - 1) return keys.at(-1).value;
  const [left, right] = [keys[index], keys[index + 1]];
  const ease = left.ease ?? "smooth";
  if (ease === "hold") return left.value;
  if (ease === "handles") return bezier(left, right, frame);
  const t = (frame - left.frame) / (right.frame - left.frame);
  return left.value + (right.value - left.value) * (ease === "smooth" ? t * t * (3 - 2 * t) : t);
}

/** The number that a keyed value has at a frame; pirouette/values/keys.py computes the same. */
export function keyedAt(raw, frame) {
  const keys = [...raw.keys].sort(byFrame);
  const first = keys[0].frame;
  const span = keys.at(-1).frame - first;
  if ((frame >= first && frame <= first + span) || span === 0) return inside(keys, frame);
  const rule = (frame < first ? raw.before : raw.after) ?? "hold";
  if (rule === "repeat") return inside(keys, first + wrapped(frame - first, span));
  if (rule === "mirror") {
    const away = wrapped(frame - first, 2 * span);
    return inside(keys, first + (away <= span ? away : 2 * span - away));
  }
  if (rule === "continue") {
    const width = Math.min(span, 1) * 1e-3;
    const edge = frame < first ? first : first + span;
    const slope =
      (frame < first
        ? inside(keys, edge + width) - inside(keys, edge)
        : inside(keys, edge) - inside(keys, edge - width)) / width;
    return inside(keys, edge) + slope * (frame - edge);
  }
  return frame < first ? keys[0].value : keys.at(-1).value;
}

const light = (byte) => (byte <= 0.04045 * 255 ? byte / 255 / 12.92 : ((byte / 255 + 0.055) / 1.055) ** 2.4);
const byteOf = (one) => Math.round(255 * (one <= 0.0031308 ? one * 12.92 : 1.055 * one ** (1 / 2.4) - 0.055));

/** The colour that a keyed colour has at a frame: mixed as light. */
export function colourAt(raw, frame) {
  const bytes = [1, 3, 5].map((at) => {
    const part = ({ value, ...key }) => ({ ...key, value: light(Number.parseInt(value.slice(at, at + 2), 16)) });
    return byteOf(Math.min(Math.max(keyedAt({ ...raw, keys: raw.keys.map(part) }, frame), 0), 1));
  });
  return `#${bytes.map((byte) => byte.toString(16).padStart(2, "0")).join("")}`;
}

/** Return a keyed value with the chosen keys (their indices) moved; those that they land on give way. */
export function moved(raw, chosen, by, amount = 0) {
  return placed(raw, chosen, (key) => ({
    ...key,
    frame: Math.round(key.frame + by),
    ...(amount ? { value: tidy(key.value + amount) } : {}),
  }));
}

/** Return a keyed value with the time between the chosen keys stretched about a frame. */
export function stretched(raw, chosen, about, factor) {
  const handle = (part) => part && [part[0] * factor, part[1]];
  return placed(raw, chosen, (key) => ({
    ...key,
    frame: Math.round(about + (key.frame - about) * factor),
    ...(key.leave ? { leave: handle(key.leave) } : {}),
    ...(key.arrive ? { arrive: handle(key.arrive) } : {}),
  }));
}

function placed(raw, chosen, change) {
  const gone = raw.keys.map((key, index) => (chosen.has(index) ? change(key) : null)).filter(Boolean);
  const taken = new Map(gone.map((key) => [key.frame, key]));
  const left = raw.keys.filter((key, index) => !chosen.has(index) && !taken.has(key.frame));
  return { ...raw, keys: [...left, ...taken.values()].sort(byFrame) };
}

/** Return a value without the chosen keys; the last one that goes leaves its number behind. */
export function without(raw, chosen) {
  const keys = raw.keys.filter((_, index) => !chosen.has(index));
  return keys.length ? { ...raw, keys } : raw.keys[0].value;
}

/** Return a keyed value whose chosen keys have an ease; handles begin a third of the way, level with the curve. */
export function eased(raw, chosen, ease) {
  const order = inOrder(raw.keys);
  const keys = raw.keys.map((key, index) => {
    if (!chosen.has(index)) return key;
    const { leave, arrive, ...plain } = key;
    return ease === "handles" ? { ...key, ease } : { ...plain, ease };
  });
  if (ease !== "handles") return { ...raw, keys };
  for (let k = 0; k + 1 < order.length; k += 1) {
    if (!chosen.has(order[k].index)) continue;
    const third = (order[k + 1].frame - order[k].frame) / 3;
    keys[order[k].index].leave ??= [tidy(third), 0];
    keys[order[k + 1].index] = {
      ...keys[order[k + 1].index],
      arrive: keys[order[k + 1].index].arrive ?? [tidy(-third), 0],
    };
  }
  return { ...raw, keys };
}

/**
 * Return a keyed value with a handle of a key at another place, kept on its own side of the key.
 * @param {"leave"|"arrive"} name
 * @param {number[]} part frames and amount from the key
 * @param {boolean} isAlone whether the key's other handle stays as it is; else both remain in one line
 */
export function bent(raw, index, name, part, isAlone) {
  const way = name === "leave" ? 1 : -1;
  const [frames, amount] = [tidy(way * Math.max(0, way * part[0])), tidy(part[1])];
  const other = name === "leave" ? "arrive" : "leave";
  const key = raw.keys[index];
  const follows =
    key[other] && !isAlone ? { [other]: [key[other][0], tidy((frames ? amount / frames : 0) * key[other][0])] } : {};
  return { ...raw, keys: raw.keys.with(index, { ...key, [name]: [frames, amount], ...follows }) };
}

/** Return a keyed value with copied keys put in, the first of them at a frame. */
export function pasted(raw, copied, frame) {
  const start = Math.min(...copied.map((key) => key.frame));
  const added = copied.map((key) => ({ ...key, frame: key.frame - start + frame }));
  const taken = new Set(added.map((key) => key.frame));
  const before = sortOf(raw) === "keyed" ? raw : { sort: "keyed", keys: [] };
  return { ...before, keys: [...before.keys.filter((key) => !taken.has(key.frame)), ...added].sort(byFrame) };
}

/** Return keys with one more, or with another value, at a frame; its ease is that of the key before it. */
export function withKey(keys, frame, value) {
  const before = [...keys].reverse().find((key) => key.frame <= frame) ?? keys[0];
  const others = keys.filter((key) => key.frame !== frame);
  return [...others, { frame, value, ease: before?.ease ?? "smooth" }].sort((a, b) => a.frame - b.frame);
}

/** Return what a change becomes while changes are recorded: a key at the playhead, and one at the start for what was. */
export function recorded(raw, value, frame) {
  if (sortOf(raw) === "keyed") return { ...raw, keys: withKey(raw.keys, frame, value) };
  const now = { frame, value, ease: "smooth" };
  return { sort: "keyed", keys: frame === 0 ? [now] : [{ frame: 0, value: raw, ease: "smooth" }, now] };
}

export const tidy = (value) => Number(value.toFixed(4));
