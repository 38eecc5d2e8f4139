// Writing formulas: names, functions and values of the scene are offered while typing, and picked from the page.

import { h } from "../lib/dom.js";
import { valueAt } from "../lib/json-patch.js";
import { listsOf } from "../lib/parts.js";

const MOST = 9;
let listCount = 0;

/** Every number of the scene that a formula may name: {reference, pointer}. */
export function referencesOf(store) {
  const { document, kinds, catalogue } = store;
  const found = [];
  const add = (name, settings, base) => {
    for (const setting of settings ?? []) {
      if (setting.sort === "number" || setting.sort === "integer")
        found.push({ reference: `${name}.${setting.name}`, pointer: `${base}/${setting.name}` });
      if (setting.sort === "vector")
        for (const axis of [0, 1, 2])
          found.push({
            reference: `${name}.${setting.name}.${"xyz"[axis]}`,
            pointer: `${base}/${setting.name}/${axis}`,
          });
      if (setting.sort === "nodes")
        (valueAt(document, `${base}/${setting.name}`) ?? setting.default).forEach((_, index) => {
          for (const axis of [0, 1, 2])
            found.push({
              reference: `${name}.${setting.name}.${index + 1}.${"xyz"[axis]}`,
              pointer: `${base}/${setting.name}/${index}/at/${axis}`,
            });
        });
    }
  };
  const addLines = (name, lines, family, base) => {
    const counts = {};
    for (const [k, line] of (lines ?? []).entries()) {
      counts[line.kind] = (counts[line.kind] ?? 0) + 1;
      add(
        `${name}.${line.kind}${counts[line.kind] > 1 ? ` ${counts[line.kind]}` : ""}`,
        kinds[family][line.kind]?.settings,
        `${base}/${k}/settings`,
      );
    }
  };
  const { things } = catalogue;
  for (const family of ["guides", "figures"])
    for (const [i, thing] of (document[family] ?? []).entries())
      for (const axis of "xyz")
        found.push({ reference: `${thing.name}.world.${axis}`, pointer: `/${family}/${i}/world/${axis}` });
  for (const family of ["guides", "figures"])
    for (const [i, thing] of (document[family] ?? []).entries()) add(thing.name, things.place, `/${family}/${i}/place`);
  for (const [i, camera] of document.cameras.entries()) add(camera.name, things.camera, `/cameras/${i}/settings`);
  for (const [i, light] of (document.lights ?? []).entries())
    add(light.name, kinds.lights[light.kind]?.settings, `/lights/${i}/settings`);
  for (const [i, figure] of document.figures.entries()) {
    add(figure.name, things.own_time, `/figures/${i}/own_time`);
  }
  for (const { list, family, items, thing } of listsOf(document)) addLines(thing.name, items, family, list);
  addLines("Finish", document.finish, "finishes", "/finish");
  return found;
}

/** What is being typed before the caret: words of a reference after "{", or the letters of a name. */
function typedBefore(text) {
  const open = text.lastIndexOf("{");
  if (open > text.lastIndexOf("}")) return { start: open + 1, words: text.slice(open + 1), isReference: true };
  const word = text.match(/[A-Za-z_]+$/)?.[0] ?? "";
  return { start: text.length - word.length, words: word, isReference: false };
}

function offers(store, text) {
  const { words, isReference } = typedBefore(text);
  const parts = words
    .toLowerCase()
    .split(/[\s.]+/)
    .filter(Boolean);
  if (isReference) {
    return referencesOf(store)
      .filter(({ reference }) => parts.every((part) => reference.toLowerCase().includes(part)))
      .slice(0, MOST)
      .map(({ reference }) => ({ text: reference, help: "", end: "}" }));
  }
  if (words.length < 2) return [];
  const { names, functions } = store.catalogue.formulas;
  const all = [
    ...Object.entries(names).map(([text, help]) => ({ text, help, end: "" })),
    ...Object.entries(functions).map(([text, one]) => ({ text, help: `${one.call}: ${one.words}`, end: "(" })),
  ];
  return all.filter((one) => one.text.startsWith(words) && one.text !== words).slice(0, MOST);
}

/** Put text into a field in the place of what stands between two characters, as if it had been typed. */
function insert(field, start, end, text) {
  field.focus();
  field.setRangeText(text, start, end, "end");
  field.dispatchEvent(new Event("input", { bubbles: true }));
}

/**
 * Return the field in which a formula is written.
 * @param {string} pointer where its text is in the document
 */
export function formulaField(store, pointer, label, focusName) {
  const text = store.valueAt(pointer);
  // What was refused stands there still, to be mended.
  const refused = store.state.refused.get(pointer);
  return withOffers(
    store,
    h("textarea.formula", {
      value: refused ?? text,
      rows: 2,
      spellcheck: false,
      "aria-label": label,
      "aria-invalid": String(refused !== undefined),
      "data-focus": focusName,
      title: "Enter takes it, Escape leaves it as it was",
      onkeydown: (event) => {
        event.stopPropagation();
        const leaves = event.key === "Escape";
        if (!leaves && (event.key !== "Enter" || event.shiftKey)) return;
        event.preventDefault();
        if (leaves) event.target.value = text;
        event.target.blur();
        if (leaves) store.set({ refused: new Map() });
      },
      onchange: (event) => store.setValue(pointer, event.target.value),
    }),
  );
}

/** Return a formula's field with its list of offers, and a button that takes a value from the page. */
function withOffers(store, field) {
  const list = h("ul.offers", {
    role: "listbox",
    id: `offers-${(listCount += 1)}`,
    "aria-label": "What may stand here",
    hidden: true,
  });
  let shown = [];
  let current = 0;
  const hide = () => {
    list.hidden = true;
    field.removeAttribute("aria-activedescendant");
  };
  const take = (index) => {
    const before = field.value.slice(0, field.selectionStart);
    const { start } = typedBefore(before);
    const { text, end } = shown[index];
    const already = field.value.startsWith(end, field.selectionStart) ? "" : end;
    insert(field, start, field.selectionStart, text + already);
    hide();
  };
  const show = () => {
    shown = offers(store, field.value.slice(0, field.selectionStart));
    current = 0;
    paint();
  };
  const paint = () => {
    list.hidden = !shown.length;
    list.replaceChildren(
      ...shown.map((one, k) => {
        const item = h(
          "li",
          { role: "option", id: `${list.id}-${k}`, "aria-selected": String(k === current) },
          h("span.mono", {}, one.text),
          h("span.quiet", {}, one.help),
        );
        item.addEventListener("pointerdown", (event) => {
          event.preventDefault();
          take(k);
        });
        return item;
      }),
    );
    if (list.hidden) hide();
    else field.setAttribute("aria-activedescendant", `${list.id}-${current}`);
  };
  field.setAttribute("aria-autocomplete", "list");
  field.setAttribute("aria-controls", list.id);
  field.addEventListener("input", show);
  field.addEventListener("blur", hide);
  field.addEventListener(
    "keydown",
    (event) => {
      if (list.hidden) return;
      const by = { ArrowDown: 1, ArrowUp: -1 }[event.key];
      if (by) current = (current + by + shown.length) % shown.length;
      else if (event.key === "Tab" || (event.key === "Enter" && !event.shiftKey)) take(current);
      else if (event.key === "Escape") hide();
      else return;
      event.preventDefault();
      event.stopImmediatePropagation();
      if (by) paint();
    },
    { capture: true },
  );
  const pick = h(
    "button.btn.btn-sm.quiet",
    {
      type: "button",
      "data-focus": `${field.dataset.focus} pick`,
      title: "Then click any number of the scene: its name goes into the formula",
      onclick: (event) => event.detail === 0 && pickFor(store, field, pick),
    },
    "Pick a value",
  );
  // The field keeps the focus, so that a formula that is not finished yet is not sent.
  pick.addEventListener("pointerdown", (event) => {
    event.preventDefault();
    pickFor(store, field, pick);
  });
  return h("div.with-offers", {}, field, list, pick);
}

/** The next number that is clicked, in a line or in the settings, goes into a formula by its name. */
function pickFor(store, field, button) {
  const at = field.selectionStart ?? field.value.length;
  button.setAttribute("aria-pressed", "true");
  document.body.classList.add("picking");
  const end = () => {
    removeEventListener("pointerdown", take, true);
    removeEventListener("keydown", leave, true);
    document.body.classList.remove("picking");
    button.setAttribute("aria-pressed", "false");
  };
  const leave = (event) => event.key === "Escape" && end();
  const take = (event) => {
    const value = event.target.closest?.("[data-pointer]");
    const found = value && referencesOf(store).find((one) => one.pointer === value.dataset.pointer);
    event.preventDefault();
    event.stopImmediatePropagation();
    end();
    if (!found)
      return store.set({
        problem: "That is no number that a formula can name; click a number in a line or in the settings.",
      });
    insert(field, at, at, `{${found.reference}}`);
    return field.dispatchEvent(new Event("change", { bubbles: true }));
  };
  // Not this very click, but the next one.
  setTimeout(() => addEventListener("pointerdown", take, true));
  addEventListener("keydown", leave, true);
}
