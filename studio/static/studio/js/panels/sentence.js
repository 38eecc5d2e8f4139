// A kind's sentence as a line of words with its values in it.

import { h } from "../lib/dom.js";
import { setOperations } from "../lib/json-patch.js";
import { curveChip } from "../controls/ramp.js";
import { choiceValue, colourValue, gradientChip, numberValue } from "../controls/value.js";
import { sortOf } from "../lib/sort.js";
import { plainWords } from "../lib/words.js";

/** Return the control of one setting as it stands in a line. */
export function inlineValue(store, base, setting) {
  const pointer = `${base}/${setting.name}`;
  const raw = store.valueAt(pointer) ?? setting.default;
  const label = plainWords(setting.name);
  if (setting.sort === "number" || setting.sort === "integer")
    return numberValue(store, pointer, setting, label, setting.default);
  if (setting.sort === "vector") return vectorValue(store, pointer, setting, label, raw);
  if (setting.sort === "colour") return colourValue(store, pointer, label, setting.default);
  if (setting.sort === "choice") return choiceValue(store, pointer, setting, label, setting.default);
  if (setting.sort === "gradient") return gradientChip(raw);
  if (setting.sort === "curve") return curveChip(raw, setting);
  if (setting.sort === "switch")
    return h(
      "button.value.word",
      { type: "button", "data-focus": pointer, "aria-label": label, onclick: () => store.setValue(pointer, !raw) },
      raw ? "yes" : "no",
    );
  return h("span.value.named", {}, wordsOf(store, setting, raw));
}

/** The names of what a setting refers to, or its text, short. */
export function wordsOf(store, setting, raw) {
  const { document } = store;
  const nameOf = (id) =>
    setting.choices.flatMap((family) => document[family] ?? []).find((thing) => thing.id === id)?.name ?? id;
  if (setting.sort === "reference") return raw === null ? setting.none : nameOf(raw);
  if (setting.sort === "references") {
    const more = raw.length > 4 ? ` and ${raw.length - 3} more` : "";
    return raw.length
      ? raw
          .slice(0, more ? 3 : 4)
          .map(nameOf)
          .join(", ") + more
      : "none yet";
  }
  if (setting.sort === "asset") return raw === null ? `no ${setting.choices[0]} yet` : raw.replace(/\.\w+$/, "");
  if (setting.sort === "flags") return raw.join(", ");
  const text = String(raw).replace(/\s*\n\s*/g, " / ");
  return text.length > 34 ? `${text.slice(0, 32)}…` : text;
}

/** Three numbers; parts of a vector that is not in the document yet are written as a whole. */
function vectorValue(store, pointer, setting, label, raw) {
  const whole = wholeVector(store, pointer, setting);
  return h(
    "span.vector",
    {},
    raw.map((_, axis) => [
      axis ? ", " : "",
      numberValue(whole, `${pointer}/${axis}`, setting, `${label} ${"xyz"[axis]}`, setting.default[axis]),
    ]),
  );
}

/** A view of the store that writes a vector's default before the first of its parts changes. */
export function wholeVector(store, pointer, setting) {
  if (store.valueAt(pointer) !== undefined) return store;
  return new Proxy(store, {
    get(target, name) {
      if (name === "setValue") {
        return (part, value, options) => {
          if (target.valueAt(pointer) === undefined)
            target.edit(
              [
                ...setOperations(target.document, pointer, setting.default),
                { op: "replace", path: part, value: target.state.recording ? target.recorded(part, value) : value },
              ],
              options,
            );
          else target.setValue(part, value, options);
        };
      }
      const member = target[name];
      return typeof member === "function" ? member.bind(target) : member;
    },
    set: (target, name, value) => Reflect.set(target, name, value),
  });
}

const TOKEN = /\*\*(.+?)\*\*/g;

/** Return the nodes of a kind's sentence; `base` points to its settings in the document. */
export function sentence(store, kind, base) {
  const nodes = [];
  let at = 0;
  for (const match of kind.sentence.matchAll(TOKEN)) {
    nodes.push(kind.sentence.slice(at, match.index));
    const name = match[1].match(/^\{(\w+)\}$/)?.[1];
    if (name)
      nodes.push(
        inlineValue(
          store,
          base,
          kind.settings.find((setting) => setting.name === name),
        ),
      );
    else nodes.push(h("strong", {}, match[1]));
    at = match.index + match[0].length;
  }
  nodes.push(kind.sentence.slice(at));
  return nodes;
}

/** True if any setting below a pointer moves. */
export function hasMoving(value) {
  if (Array.isArray(value)) return value.some(hasMoving);
  if (value && typeof value === "object")
    return sortOf(value) !== "fixed" && value.sort !== undefined ? true : Object.values(value).some(hasMoving);
  return false;
}
