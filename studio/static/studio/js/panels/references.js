// What else in the scene refers to a thing: so that a thing can be removed without leaving anything pointing at it.

import { listsOf } from "../lib/parts.js";

/** Yield {pointer, setting} of every setting of the document that may refer to other things. */
function* settingsOf(store) {
  const { document, kinds, catalogue } = store;
  for (const { list, family, items } of listsOf(document)) {
    for (const [k, item] of items.entries()) {
      for (const setting of kinds[family][item.kind]?.settings ?? [])
        yield { pointer: `${list}/${k}/settings/${setting.name}`, setting };
      if (family === "clauses")
        for (const setting of catalogue.things.joining)
          yield { pointer: `${list}/${k}/joining/${setting.name}`, setting };
    }
  }
  for (const [k, item] of (document.finish ?? []).entries())
    for (const setting of kinds.finishes[item.kind]?.settings ?? [])
      yield { pointer: `/finish/${k}/settings/${setting.name}`, setting };
  for (const [family, part, thing] of [
    ["figures", "place", "place"],
    ["guides", "place", "place"],
    ["lights", "settings", null],
    ["cameras", "settings", "camera"],
  ]) {
    for (const [i, item] of (document[family] ?? []).entries())
      for (const setting of thing ? catalogue.things[thing] : (kinds.lights[item.kind]?.settings ?? []))
        yield { pointer: `/${family}/${i}/${part}/${setting.name}`, setting };
  }
}

/** Return the operations that make nothing refer to a thing any more. */
export function releaseOperations(store, family, id) {
  const made = [];
  for (const { pointer, setting } of settingsOf(store)) {
    if (!setting.choices?.includes(family)) continue;
    const raw = store.valueAt(pointer);
    if (setting.sort === "reference" && raw === id) made.push({ op: "replace", path: pointer, value: null });
    if (setting.sort === "references" && raw?.includes(id))
      made.push({ op: "replace", path: pointer, value: raw.filter((one) => one !== id) });
  }
  return made;
}

/** Return the operations that give a thing another name, also in the formulas that call it by its name. */
export function renameOperations(store, pointer, name, next) {
  const made = [{ op: "replace", path: pointer, value: next }];
  if (pointer === "/name") return made;
  const walk = (value, path) => {
    if (!value || typeof value !== "object") return;
    const isFormula = value.sort === "formula" || /^\/formulas\/\d+$/.test(path);
    if (isFormula && value.text?.includes(`{${name}.`))
      made.push({ op: "replace", path: `${path}/text`, value: value.text.replaceAll(`{${name}.`, `{${next}.`) });
    for (const [key, part] of Object.entries(value))
      walk(part, `${path}/${key.replaceAll("~", "~0").replaceAll("/", "~1")}`);
  };
  walk(store.document, "");
  return made;
}

/** Remove a guide or camera by its pointer, if it can be. */
export function removeThing(store, pointer) {
  const [, family, index] = pointer.split("/");
  const thing = store.valueAt(pointer);
  if (family === "cameras" && store.document.cameras.length === 1) {
    store.set({ problem: "A scene needs a camera; this is its only one." });
    return;
  }
  const patch = releaseOperations(store, family, thing.id);
  if (family === "cameras" && store.document.camera === thing.id) {
    patch.push({
      op: "replace",
      path: "/camera",
      value: store.document.cameras.find((camera) => camera.id !== thing.id).id,
    });
  }
  const before = store.chosenNow();
  store.set({ open: null });
  store.edit([...patch, { op: "remove", path: `/${family}/${index}` }], { before });
}
