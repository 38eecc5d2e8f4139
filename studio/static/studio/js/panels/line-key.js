// The small key at the end of a line: it keys the value that was pointed at or focused in it, at the playhead.

import { h } from "../lib/dom.js";
import { canMove, sortOf } from "../lib/sort.js";
import { plainWords } from "../lib/words.js";
import { dropKey, keyValue } from "./moving.js";

// Who stays on a value for so long means it; who goes on to the key passes over others.
const DWELL_MS = 250;
// The value that was meant last, by its pointer, wherever it is.
let meant = null;
let dwelling = null;

const valueUnder = ({ target }) => target.closest?.(".line-words .value[data-pointer]")?.dataset.pointer ?? null;

document.addEventListener("focusin", (event) => {
  const pointer = valueUnder(event);
  if (pointer === null) return;
  meant = pointer;
  event.target.closest(".line-words").querySelector(".line-key")?.showNow();
});
document.addEventListener("pointerover", (event) => {
  clearTimeout(dwelling);
  const pointer = valueUnder(event);
  if (pointer !== null) dwelling = setTimeout(() => (meant = pointer), DWELL_MS);
});

/** Put a key behind the last word of a line, in the same row, if any of its values can have keys. */
export function endWithKey(store, words) {
  const key = keyOf(store, words);
  if (!key) return;
  words.normalize();
  const { lastChild } = words;
  const last =
    lastChild.nodeType === Node.TEXT_NODE
      ? lastChild.splitText(lastChild.data.trimEnd().lastIndexOf(" ") + 1)
      : lastChild;
  const end = h("span.unbroken");
  last.replaceWith(end);
  end.append(last, key);
}

/** The key of a line with those words, or null. */
function keyOf(store, words) {
  const keyable = [...words.querySelectorAll(".value[data-pointer]")].filter(({ dataset: { pointer } }) => {
    const sort = sortOf(store.valueAt(pointer));
    return (sort === "fixed" || sort === "keyed") && canMove(store.declared(pointer), pointer);
  });
  if (!keyable.length) return null;
  // A value is written anew while it is typed, and its line with each change.
  const pointerNow = () => (keyable.find(({ dataset }) => dataset.pointer === meant) ?? keyable[0]).dataset.pointer;
  const keyAt = (pointer) => (store.valueAt(pointer)?.keys ?? []).findIndex((key) => key.frame === store.state.frame);
  const mark = (pointer) => {
    for (const value of words.querySelectorAll(".value[data-pointer]"))
      value.classList.toggle("to-key", value.dataset.pointer === pointer);
  };
  const show = () => {
    const pointer = pointerNow();
    const { name } = store.declared(pointer);
    const axis = pointer.match(/\/([012])$/)?.[1];
    const called = plainWords(name) + (axis ? ` ${"xyz"[axis]}` : "");
    const isKey = keyAt(pointer) >= 0;
    button.classList.toggle("held", isKey);
    button.setAttribute("aria-label", isKey ? `Remove the key of ${called} here` : `Key ${called} here`);
    button.title = isKey ? `Remove the key of ${called} at this frame` : `Key ${called} at this frame (K)`;
    return pointer;
  };
  const press = () => {
    const pointer = pointerNow();
    // What is being typed is taken first: as the key here, if there is one.
    const typed = words.querySelector(".typed");
    typed?.blur();
    const number = keyAt(pointer);
    // What is no number is told by its field.
    if (typed && (typed.hasAttribute("aria-invalid") || number >= 0)) return;
    if (number >= 0) dropKey(store, pointer, store.valueAt(pointer), number);
    else keyValue(store, pointer, store.declared(pointer));
  };
  const button = h("button.line-key", {
    type: "button",
    // By the keyboard it is K.
    tabIndex: -1,
    "data-focus": `${keyable[0].dataset.pointer} key`,
    onpointerenter: () => mark(show()),
    onpointerleave: () => mark(null),
    // The value keeps the focus.
    onpointerdown: (event) => event.preventDefault(),
    onmousedown: (event) => event.preventDefault(),
    onclick: press,
    "data-live": "",
  });
  button.showNow = () => button.closest(".line:hover, .line:focus-within") && show();
  show();
  return button;
}
