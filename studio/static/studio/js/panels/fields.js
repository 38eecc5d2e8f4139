// Fields: each one sentence of clauses; the selected one shows its reach in the view.

import { h, icon, refill } from "../lib/dom.js";
import { cardName } from "./figures.js";
import { kindEntries } from "./finder.js";
import { addLine, line } from "./lines.js";
import { noteCount, noteLines, notesOf } from "./notes.js";
import { beginField } from "./only-where.js";
import { listsOf } from "../lib/parts.js";
import { plainWords } from "../lib/words.js";
import { choiceValue, numberValue } from "../controls/value.js";

export class Fields {
  constructor(store, element, finder) {
    this.store = store;
    this.element = element;
    this.finder = finder;
    store.on(
      "document selection open reach notes gesture-end lanes",
      () => store.gesture || store.state.playing || this.show(),
    );
    this.show();
  }

  show() {
    const { store } = this;
    const fields = store.document.fields ?? [];
    refill(
      this.element,
      fields.length
        ? h(
            "ul.cards",
            {},
            fields.map((field, index) => this.card(field, index)),
          )
        : h(
            "p.empty",
            {},
            "A field says where, and how strongly, a step acts: inside a ball, between two planes, where a noise is high. " +
              "Add one here, or by “+ only where” in a step.",
          ),
      h(
        "button.add",
        { type: "button", "data-focus": "add field", onclick: () => beginField(store, this.finder) },
        icon("plus"),
        "field",
      ),
    );
  }

  card(field, index) {
    const { store } = this;
    const base = `/fields/${index}`;
    const selected = store.state.selection?.family === "fields" && store.state.selection.id === field.id;
    const reaches = store.state.reach === field.id;
    const notes = notesOf(store, field.name);
    const head = h(
      "div.card-head",
      {},
      icon("only"),
      cardName(store, base, field.name, selected, () => store.select("fields", field.id)),
      noteCount(notes),
      h(
        "button.chip",
        {
          type: "button",
          "aria-pressed": String(reaches),
          title: "Shade everything in the view by this field",
          "data-focus": `${base} reach`,
          onclick: () => store.set({ reach: reaches ? null : field.id }),
        },
        reaches ? "reach shown" : "show reach",
      ),
    );
    if (!selected) return h("li.card", { "data-field": field.id }, head);
    const join = this.store.catalogue.things.joining.find((setting) => setting.name === "join");
    const lines = (field.clauses ?? []).map((clause, k) => {
      const element = line(store, store.kinds.clauses[clause.kind], `${base}/clauses`, k, {
        more: clause.joining?.inside_out ? [h("em", {}, ", inside out")] : [],
      });
      if (k)
        element
          .querySelector(".line-words")
          .prepend(choiceValue(store, `${base}/clauses/${k}/joining/join`, join, "joined by", join.default), " ");
      return element;
    });
    const lists = [...listsOf(store.document)].filter(({ family }) => family !== "clauses");
    const users = lists.flatMap(({ items, thing }) =>
      items
        .filter((item) => item.only_where === field.id || Object.values(item.settings ?? {}).includes(field.id))
        .map((item) => `${thing.name} · ${plainWords(item.kind)}`),
    );
    return h(
      "li.card.selected",
      { "data-field": field.id },
      head,
      h("ul.lines", {}, lines),
      h(
        "button.add",
        {
          type: "button",
          "data-focus": `${base} add`,
          onclick: () =>
            this.finder.open(
              kindEntries(store.catalogue.clauses, (kind) => addLine(store, `${base}/clauses`, kind)),
              "Add a clause: region, between, noise…",
            ),
        },
        icon("plus"),
        "clause",
      ),
      this.after(field, base),
      // Whether it limits anything at all is said below in any case.
      noteLines(
        store,
        notes.filter((note) => note.code !== "field.unused"),
      ),
      h(
        "p.quiet",
        {},
        users.length ? `Limits ${users.join(", ")}.` : "Limits nothing yet; choose it by “+ only where” in a step.",
      ),
      h("button.add", { type: "button", onclick: () => removeField(store, index) }, icon("trash"), "Remove this field"),
    );
  }

  /** What the field does with what it has touched, as a sentence. */
  after(field, base) {
    const { store } = this;
    const [then, over] = store.catalogue.things.after;
    const lets = field.after?.then === "lets go";
    return h(
      "p.field-after",
      {},
      "It ",
      choiceValue(store, `${base}/after/then`, then, "what it does with what it touched", then.default),
      lets
        ? [" over ", numberValue(store, `${base}/after/over`, over, "frames of letting go", over.default), " frames"]
        : " what it touches",
    );
  }
}

/** Take a field out of the scene, and out of whatever it limits. */
export function removeField(store, index) {
  const field = store.document.fields[index];
  const patch = [];
  for (const { list, family, items } of listsOf(store.document)) {
    if (family === "clauses") continue;
    items.forEach((item, k) => {
      if (item.only_where === field.id) patch.push({ op: "remove", path: `${list}/${k}/only_where` });
      for (const [name, value] of Object.entries(item.settings ?? {}))
        if (value === field.id) patch.push({ op: "replace", path: `${list}/${k}/settings/${name}`, value: null });
    });
  }
  const before = store.chosenNow();
  store.set({ reach: store.state.reach === field.id ? null : store.state.reach, open: null, selection: null });
  store.edit([...patch, { op: "remove", path: `/fields/${index}` }], { before });
}
