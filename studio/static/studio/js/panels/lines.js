// Lists of lines: steps, looks, clauses, finishes. Each line is a sentence with a switch; lines are opened, moved, removed.

import { h, icon } from "../lib/dom.js";
import { plainSentence, sentence } from "./sentence.js";

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
 * @param {Node[]} [after] more words behind the sentence
 */
export function line(store, kind, list, index, after = []) {
  const pointer = `${list}/${index}`;
  const item = store.valueAt(pointer);
  const isOpen = store.state.open === pointer;
  const isOff = item.on === false;
  const element = h(
    `li.line${isOpen ? ".open" : ""}${isOff ? ".off" : ""}`,
    { "data-pointer": pointer, draggable: false },
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
    h(
      "div.line-words",
      { onclick: (event) => event.target.closest(".value, .typed") || toggle(store, pointer) },
      sentence(store, kind, `${pointer}/settings`),
      after,
    ),
    h(
      "button.line-open",
      {
        type: "button",
        "aria-label": `All settings of ${plainSentence(kind)}`,
        "aria-expanded": String(isOpen),
        title: "All settings",
        "data-focus": `${pointer} open`,
        onclick: () => toggle(store, pointer),
      },
      icon("sliders"),
    ),
  );
  listenOrder(store, element, list, index);
  return element;
}

function toggle(store, pointer) {
  store.set({ open: store.state.open === pointer ? null : pointer });
}

/** Lines are dragged by their icon's side, or moved with Alt and the arrow keys. */
function listenOrder(store, element, list, index) {
  const grip = element.querySelector(".line-icon");
  grip.addEventListener("keydown", (event) => {
    if (!event.altKey || !["ArrowUp", "ArrowDown"].includes(event.key)) return;
    event.preventDefault();
    moveLine(store, list, index, index + (event.key === "ArrowUp" ? -1 : 1));
  });
  let start = null;
  grip.addEventListener("pointerdown", (event) => {
    start = { y: event.clientY, moved: false };
    grip.setPointerCapture(event.pointerId);
  });
  grip.addEventListener("pointermove", (event) => {
    if (!start || (!start.moved && Math.abs(event.clientY - start.y) < 6)) return;
    start.moved = true;
    element.classList.add("dragged");
    element.style.transform = `translateY(${event.clientY - start.y}px)`;
  });
  grip.addEventListener("pointercancel", () => {
    start = null;
    element.style.transform = "";
    element.classList.remove("dragged");
  });
  grip.addEventListener("pointerup", (event) => {
    if (start?.moved) {
      const lines = [...element.parentElement.querySelectorAll(":scope > .line")];
      const others = lines.filter((one) => one !== element);
      const to = others.filter((one) => one.getBoundingClientRect().top + one.offsetHeight / 2 < event.clientY).length;
      element.style.transform = "";
      element.classList.remove("dragged");
      grip.addEventListener("click", (click) => click.stopImmediatePropagation(), { capture: true, once: true });
      setTimeout(() => moveLine(store, list, index, to));
    }
    start = null;
  });
}

function moveLine(store, list, from, to) {
  const count = store.valueAt(list).length;
  if (to < 0 || to >= count || to === from) return;
  const { open } = store.state;
  store.set({ open: null });
  store.edit([{ op: "move", from: `${list}/${from}`, path: `${list}/${to}` }]);
  if (open === `${list}/${from}`) store.set({ open: `${list}/${to}` });
  // The focus goes with the line, so that it can be moved on.
  document.querySelector(`[data-focus="${list}/${to} switch"]`)?.focus();
}

export function addLine(store, list, kind, at, settings = {}) {
  const items = store.valueAt(list) ?? [];
  const index = Math.min(at ?? items.length, items.length);
  const patch = store.valueAt(list) === undefined ? [{ op: "add", path: list, value: [] }] : [];
  patch.push({ op: "add", path: `${list}/${index}`, value: { id: freeId(items, kind.id), kind: kind.id, settings } });
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
