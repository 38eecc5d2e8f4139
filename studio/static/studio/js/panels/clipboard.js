// Copying and pasting: steps and other lines as a whole, values with their keys or formula.

import { h } from "../lib/dom.js";
import { freeId, phraseBefore } from "./lines.js";
import { FAMILIES, LINE } from "../lib/parts.js";
import { sortOf } from "../lib/sort.js";
import { plainWords } from "../lib/words.js";

export class Clipboard {
  constructor(store) {
    this.store = store;
    this.held = null;
  }

  /** The value that has the focus, unless somebody types in it. */
  focused() {
    return (
      document.activeElement?.dataset.pointer ??
      document.activeElement?.closest("[data-pointer]:not(.line)")?.dataset.pointer ??
      null
    );
  }

  /** Copy the focused value, or else the open line; returns false if there is neither. */
  copy() {
    const { store } = this;
    const value = this.focused();
    const line = store.state.open?.match(LINE);
    if (value !== null && store.valueAt(value) !== undefined)
      this.held = { sort: "value", value: structuredClone(store.valueAt(value)) };
    else if (value !== null)
      this.held = { sort: "value", value: Number(document.activeElement.getAttribute("aria-valuenow")) };
    else if (line)
      this.held = { sort: "line", family: FAMILIES[line[2]], item: structuredClone(store.valueAt(store.state.open)) };
    else return false;
    say(this.held.sort === "value" ? "Value copied" : `Copied ${plainWords(this.held.item.kind)}`);
    return true;
  }

  /** Paste a value into the focused one, or a line after the open one or into every selected figure. */
  paste() {
    const { store } = this;
    if (!this.held) {
      store.set({ problem: "Nothing was copied yet. Focus a value or open a line, then Ctrl C." });
      return;
    }
    if (this.held.sort === "value") this.pasteValue();
    else this.pasteLine();
  }

  pasteValue() {
    const { store } = this;
    const pointer = this.focused();
    if (pointer === null) {
      store.set({ problem: "Focus the value that should get it (Tab, or point at it in its line), then Ctrl V." });
      return;
    }
    const current = store.valueAt(pointer);
    const isColour = (value) => typeof (value?.keys?.[0]?.value ?? value?.from ?? value) === "string";
    if (current !== undefined && isColour(current) !== isColour(this.held.value)) {
      store.set({ problem: "A colour cannot stand for a number, nor a number for a colour." });
      return;
    }
    store.setValue(pointer, structuredClone(this.held.value));
    say(
      sortOf(this.held.value) === "fixed"
        ? "Value pasted"
        : `Pasted with its ${sortOf(this.held.value) === "keyed" ? "keys" : sortOf(this.held.value)}`,
    );
  }

  pasteLine() {
    const { store } = this;
    const { family, item } = this.held;
    const open = store.state.open?.match(LINE);
    const part = Object.keys(FAMILIES).find((name) => FAMILIES[name] === family);
    const lists = open && FAMILIES[open[2]] === family ? [open[1]] : this.listsFor(part);
    if (!lists.length) {
      const words =
        part === "forces" ? "Open a step that takes forces first." : "Select a figure or field for it first.";
      store.set({ problem: words });
      return;
    }
    const patch = [];
    for (const list of lists) {
      const items = store.valueAt(list) ?? [];
      if (store.valueAt(list) === undefined) patch.push({ op: "add", path: list, value: [] });
      const isForm = family === "steps" && store.kinds.steps[item.kind].group === "form";
      const isAfter = open && open[1] === list;
      const at = isAfter ? Number(open[3]) + 1 : items.length;
      // A phrase is its figure's own.
      const copy = { ...structuredClone(item), id: freeId(items, item.id.replace(/-\d+$/, "")), phrase: undefined };
      if (isAfter) Object.assign(copy, phraseBefore(items, at));
      // A routine has one form: a copied one takes its place.
      if (isForm && items.length) patch.push({ op: "replace", path: `${list}/0`, value: { ...copy, id: items[0].id } });
      else patch.push({ op: "add", path: `${list}/${isForm ? 0 : at}`, value: copy });
    }
    store.edit(patch);
    say(lists.length > 1 ? `Pasted into ${lists.length} figures` : "Pasted");
  }

  listsFor(part) {
    const { store } = this;
    const { selection } = store.state;
    if (part === "finish") return ["/finish"];
    if (part === "forces") {
      const { open } = store.state;
      const kind = store.kinds.steps[/\/routine\/\d+$/.test(open ?? "") && store.valueAt(open)?.kind];
      return kind?.takes_forces ? [`${open}/forces`] : [];
    }
    if (part === "clauses") {
      const index = (store.document.fields ?? []).findIndex(
        (field) => selection?.family === "fields" && field.id === selection.id,
      );
      return index >= 0 ? [`/fields/${index}/clauses`] : [];
    }
    return store.selectedFigures().map((index) => `/figures/${index}/${part}`);
  }
}

/** Tell in a few words what was done; screen readers hear it too. */
export function say(words) {
  let element = document.getElementById("said");
  if (!element) {
    element = h("div.said", { id: "said", role: "status" });
    document.body.append(element);
  }
  element.textContent = words;
  element.classList.add("shown");
  clearTimeout(say.timer);
  say.timer = setTimeout(() => element.classList.remove("shown"), 1600);
}
