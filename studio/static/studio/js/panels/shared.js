// Shared formulas: written once, used in several places of the scene.

import { h, icon } from "../lib/dom.js";
import { formulaField } from "./complete.js";
import { freeId } from "./lines.js";

/** Under a formula: use a shared one instead, or share this one. */
export function sharedRow(store, pointer, raw) {
  const formulas = store.document.formulas ?? [];
  const shared = formulas.findIndex((one) => one.id === raw.shared);
  if (shared < 0) {
    return h(
      "div.small-row",
      {},
      formulas.length > 0 &&
        h(
          "select.value.choice",
          {
            "aria-label": "Use a shared formula",
            onchange: (event) => event.target.value && use(store, pointer, raw, event.target.value),
          },
          h("option", { value: "" }, "its own formula"),
          formulas.map((one) => h("option", { value: one.id }, one.name)),
        ),
      h(
        "button.btn.btn-sm.quiet",
        {
          type: "button",
          title: "Write it once and use it in several places",
          onclick: () => share(store, pointer, raw),
        },
        icon("link"),
        "Share",
      ),
    );
  }
  const one = formulas[shared];
  return h(
    "div.sorted",
    {},
    h(
      "div.small-row",
      {},
      h("input.form-control.form-control-sm", {
        value: one.name,
        "aria-label": "Name of the shared formula",
        onchange: (event) =>
          event.target.value.trim() &&
          store.edit([{ op: "replace", path: `/formulas/${shared}/name`, value: event.target.value.trim() }]),
      }),
      h("span.quiet", {}, uses(store.document, one.id)),
    ),
    formulaField(store, `/formulas/${shared}/text`, `Shared formula ${one.name}`, `${pointer} shared`),
    h(
      "button.btn.btn-sm.quiet",
      { type: "button", onclick: () => store.setValue(pointer, without(raw, { text: one.text })) },
      "Make it its own",
    ),
  );
}

function without({ shared, ...raw }, more) {
  return shared === undefined ? raw : { ...raw, ...more };
}

function use(store, pointer, { text, ...raw }, id) {
  store.setValue(pointer, text === undefined ? raw : { ...raw, shared: id });
}

function share(store, pointer, { text, ...raw }) {
  const formulas = store.document.formulas ?? [];
  const id = freeId(formulas, "formula");
  const name = `Formula ${formulas.length + 1}`;
  const patch = store.document.formulas ? [] : [{ op: "add", path: "/formulas", value: [] }];
  store.edit([
    ...patch,
    { op: "add", path: `/formulas/${formulas.length}`, value: { id, name, text } },
    { op: "replace", path: pointer, value: { ...raw, shared: id } },
  ]);
}

function uses(document, id) {
  const count = JSON.stringify(document).split(`"shared":"${id}"`).length - 1;
  return `used ${count} ${count === 1 ? "time" : "times"}`;
}
