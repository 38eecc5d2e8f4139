// Notes: what has no effect, and why, beside the thing it is about, with the button that mends it.

import { h, icon } from "../lib/dom.js";

/** A quiet count for the head of a card or a tab; nothing where there is nothing to say. */
export function noteCount(notes) {
  return notes.length
    ? h("span.note-count", { title: notes.map((note) => note.message).join("\n") }, icon("info"), String(notes.length))
    : null;
}

export const notesOf = (store, ...names) => store.state.notes.filter((note) => names.includes(note.name));

export function noteLines(store, notes, isNamed = false) {
  return notes.map((note) =>
    h(
      "p.note",
      {},
      icon("info"),
      h("span", {}, `${[isNamed && note.name, note.where].filter(Boolean).join(" · ")}: ${note.message}`),
      note.mend && h("button.btn.btn-sm.quiet", { type: "button", onclick: () => store.edit(note.patch) }, note.mend),
    ),
  );
}
