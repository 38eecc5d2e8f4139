// Limiting a step, force or look by a field: one of the scene's, or a new one that begins with a clause.

import { h, icon } from "../lib/dom.js";
import { freeName } from "./names.js";
import { kindEntries } from "./finder.js";
import { freeId } from "./lines.js";

/** Add a field that begins with a clause, and show its reach; `more` are further operations of the same edit. */
export function addField(store, kind, more = () => []) {
  const fields = store.document.fields ?? [];
  const id = freeId(fields, "field");
  const value = {
    id,
    name: freeName(store.document, "Field"),
    clauses: [{ id: kind.id, kind: kind.id, settings: {} }],
  };
  const patch = store.document.fields ? [] : [{ op: "add", path: "/fields", value: [] }];
  store.edit([...patch, { op: "add", path: `/fields/${fields.length}`, value }, ...more(id)]);
  store.select("fields", id);
  store.set({ reach: id, open: `/fields/${fields.length}/clauses/0` });
}

/** Ask with which clause a new field begins. */
export function beginField(store, finder, more) {
  finder.open(
    kindEntries(store.catalogue.clauses, (kind) => addField(store, kind, more)),
    "A field that begins with…",
  );
}

/** Ask which field limits a line: a new one, or one that is there. */
export function chooseField(store, finder, pointer) {
  const path = `${pointer}/only_where`;
  const fields = store.document.fields ?? [];
  const begin = () => beginField(store, finder, (id) => [{ op: "add", path, value: id }]);
  if (!fields.length) {
    begin();
    return;
  }
  finder.open(
    [
      {
        title: "New field",
        words: "add make begin",
        help: "begins with a clause: near, between, noise…",
        icon: "plus",
        run: begin,
      },
      ...fields.map((field) => ({ title: field.name, icon: "only", run: () => store.setValue(path, field.id) })),
    ],
    "Only where…",
  );
}

/** What limits a line, as the last words of it; or the offer to limit it. */
export function onlyWords(store, finder, item, pointer) {
  if (!item.only_where)
    return h(
      "button.only-offer",
      {
        type: "button",
        title: "Limit it by a field",
        "data-focus": `${pointer} offer`,
        onclick: (event) => {
          event.stopPropagation();
          chooseField(store, finder, pointer);
        },
      },
      icon("plus"),
      "only where",
    );
  const field = store.document.fields?.find(({ id }) => id === item.only_where);
  return h(
    "span.only",
    {},
    " only where ",
    h(
      "button.value.live",
      {
        type: "button",
        "data-focus": `${pointer} field`,
        onclick: (event) => {
          event.stopPropagation();
          store.select("fields", item.only_where);
        },
      },
      field?.name ?? item.only_where,
    ),
  );
}
