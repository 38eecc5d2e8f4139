// Lists of lines: steps, looks, clauses, finishes. Each line is a sentence with a switch; lines are opened, moved, removed.

import { h, icon } from "../lib/dom.js";
import { plainWords } from "../lib/words.js";
import { endWithKey } from "./line-key.js";
import { sentence } from "./sentence.js";

// What takes the pointer for itself within a line, and from how many pixels on it is dragged.
const TAKES_POINTER = "button, input, select, textarea, a, .value, .typed";
const LEAST_DRAG = 6;

/** Return an id that no item of a list has yet. */
export function freeId(items, base) {
  const taken = new Set(items.map((item) => item.id));
  let id = base;
  for (let n = 2; taken.has(id); n += 1) id = `${base}-${n}`;
  return id;
}

/**
 * One line.
 * @param {Store} store
 * @param {object} kind
 * @param {string} list pointer to the list in the document
 * @param {number} index
 * @param {Node[]} [parts.more] more words behind the sentence
 * @param {Node} [parts.under] what stands under it
 */
export function line(store, kind, list, index, { more = [], under = null } = {}) {
  const pointer = `${list}/${index}`;
  const item = store.valueAt(pointer);
  const isOpen = store.state.open === pointer;
  const isOff = item.on === false;
  const words = h(
    "div.line-words",
    { onclick: (event) => event.target.closest(".value, .typed, .line-key") || toggle(store, pointer) },
    sentence(store, kind, `${pointer}/settings`),
  );
  words.append(...more);
  endWithKey(store, words);
  if (under) words.append(under);
  const element = h(
    `li.line${isOpen ? ".open" : ""}${isOff ? ".off" : ""}`,
    { "data-pointer": pointer, "data-first": String(index), "data-count": "1", draggable: false },
    h(
      "button.line-icon",
      {
        type: "button",
        "aria-label": isOff ? `Switch ${kind.id} on` : `Switch ${kind.id} off`,
        "aria-pressed": String(!isOff),
        title: isOff ? "Switch on" : "Switch off",
        "data-focus": `${pointer} switch`,
        onclick: () => store.setValue(`${pointer}/on`, isOff),
      },
      icon(isOff ? "eye-off" : kind.icon),
    ),
    words,
    h(
      "button.line-open",
      {
        type: "button",
        "aria-label": `All settings of ${plainWords(kind.id)}`,
        "aria-expanded": String(isOpen),
        title: "All settings",
        "data-focus": `${pointer} open`,
        onclick: () => toggle(store, pointer),
      },
      icon("sliders"),
    ),
  );
  listenOrder(store, element, list);
  return element;
}

function toggle(store, pointer) {
  store.set({ open: store.state.open === pointer ? null : pointer });
}

/**
 * Lines are dragged wherever no value is, or moved with Alt and the arrow keys, among those that stand beside them. A line
 * stands for one item of the list, or for the several that follow each other.
 */
export function listenOrder(store, element, list) {
  const grip = element.querySelector(".line-icon");
  grip.addEventListener("keydown", (event) => {
    if (!event.altKey || !["ArrowUp", "ArrowDown"].includes(event.key)) return;
    event.preventDefault();
    const lines = linesBeside(element);
    const at = lines.indexOf(element);
    if (event.key === "ArrowUp" && at > 0) moveLines(store, list, placeOf(element), placeOf(lines[at - 1]).first);
    if (event.key === "ArrowDown" && at < lines.length - 1)
      moveLines(store, list, placeOf(element), placeOf(lines[at + 1]).end);
  });
  element.addEventListener("pointerdown", (event) => {
    // Values are dragged by themselves, and a finger on the words scrolls the list.
    const isOwn = event.target.closest(".line") === element;
    const isGrip = grip.contains(event.target);
    if (event.button || !isOwn || !(isGrip || (event.pointerType === "mouse" && !event.target.closest(TAKES_POINTER))))
      return;
    const over = new AbortController();
    const ended = { signal: over.signal };
    let isMoved = false;
    const end = () => {
      over.abort();
      element.style.transform = "";
      element.classList.remove("dragged");
    };
    const move = ({ clientY }) => {
      if (!isMoved && Math.abs(clientY - event.clientY) < LEAST_DRAG) return;
      isMoved = true;
      element.classList.add("dragged");
      element.style.transform = `translateY(${clientY - event.clientY}px)`;
    };
    const drop = ({ clientY }) => {
      if (isMoved) {
        const others = linesBeside(element).filter((one) => one !== element);
        const next = others.find((one) => one.getBoundingClientRect().top + one.offsetHeight / 2 >= clientY);
        const before = next ? placeOf(next).first : others.length ? placeOf(others.at(-1)).end : 0;
        // What was dragged is not clicked as well.
        const swallow = (click) => click.stopImmediatePropagation();
        element.addEventListener("click", swallow, { capture: true });
        setTimeout(() => {
          element.removeEventListener("click", swallow, { capture: true });
          if (others.length) moveLines(store, list, placeOf(element), before);
        });
      }
      end();
    };
    document.addEventListener("pointermove", move, ended);
    document.addEventListener("pointerup", drop, ended);
    document.addEventListener("pointercancel", end, ended);
  });
}

const linesBeside = (element) => [...element.parentElement.querySelectorAll(":scope > .line")];

/** Which items of its list a line stands for: from the first to before the end. */
function placeOf({ dataset }) {
  return { first: Number(dataset.first), end: Number(dataset.first) + Number(dataset.count) };
}

/** Move items that follow each other to before another one. */
function moveLines(store, list, { first, end }, before) {
  if (before >= first && before <= end) return;
  const to = before > first ? before - (end - first) : before;
  const { open } = store.state;
  store.set({ open: null });
  store.edit(
    Array.from({ length: end - first }, (_, k) =>
      before > first
        ? { op: "move", from: `${list}/${first}`, path: `${list}/${before - 1}` }
        : { op: "move", from: `${list}/${first + k}`, path: `${list}/${before + k}` },
    ),
  );
  if (open === `${list}/${first}`) store.set({ open: `${list}/${to}` });
  // The focus goes with the line, so that it can be moved on.
  document.querySelector(`[data-focus="${list}/${to} switch"], [data-focus="${list}/${to} phrase"]`)?.focus();
}

/** What is put after a step of a phrase belongs to that as well. */
export function phraseBefore(items, at) {
  const { phrase } = items[at - 1] ?? {};
  return phrase === undefined ? {} : { phrase };
}

export function addLine(store, list, kind, at, settings = {}) {
  const items = store.valueAt(list) ?? [];
  const index = Math.min(at ?? items.length, items.length);
  const patch = store.valueAt(list) === undefined ? [{ op: "add", path: list, value: [] }] : [];
  const value = { id: freeId(items, kind.id), kind: kind.id, settings, ...phraseBefore(items, at) };
  patch.push({ op: "add", path: `${list}/${index}`, value });
  store.edit(patch);
  store.set({ open: `${list}/${index}` });
  focusLine(`${list}/${index}`);
}

/** Go on with a new line's first number, not with the button that made it: Space then plays, and digits are typed. */
function focusLine(pointer) {
  const number = document.querySelector(`.line[data-pointer="${pointer}"] [role=spinbutton]`);
  if (number) number.focus();
  else document.activeElement?.blur();
}

export function removeLine(store, pointer) {
  const before = store.chosenNow();
  store.set({ open: null });
  store.edit([{ op: "remove", path: pointer }], { before });
}

export function duplicateLine(store, pointer) {
  const list = pointer.slice(0, pointer.lastIndexOf("/"));
  const index = Number(pointer.split("/").at(-1));
  const item = structuredClone(store.valueAt(pointer));
  item.id = freeId(store.valueAt(list), item.id.replace(/-\d+$/, ""));
  store.edit([{ op: "add", path: `${list}/${index + 1}`, value: item }]);
  store.set({ open: `${list}/${index + 1}` });
}
