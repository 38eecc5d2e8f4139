// Files dropped on the editor become figures: artwork, models and typefaces; a picture becomes a field.

import { freeId } from "./lines.js";
import { allNames } from "./figures.js";
import { upload } from "../controls/pick.js";

const STEPS = {
  artwork: (id) => ({ kind: "artwork", settings: { file: id, size: 200 } }),
  model: (id) => ({ kind: "model", settings: { file: id } }),
  font: (id) => ({ kind: "lettering", settings: { typeface: id } }),
};

export class Drop {
  constructor(store, element) {
    this.store = store;
    element.addEventListener("dragover", (event) => {
      if (![...event.dataTransfer.types].includes("Files")) return;
      event.preventDefault();
      document.body.classList.add("dropping");
    });
    element.addEventListener(
      "dragleave",
      (event) => event.relatedTarget === null && document.body.classList.remove("dropping"),
    );
    element.addEventListener("drop", (event) => {
      document.body.classList.remove("dropping");
      if (!event.dataTransfer.files.length) return;
      event.preventDefault();
      this.take([...event.dataTransfer.files]);
    });
  }

  async take(files) {
    for (const file of files) {
      const asset = await upload(this.store, file);
      if (asset) this.use(asset);
    }
  }

  freeName(base) {
    const names = new Set(allNames(this.store.document));
    let name = base;
    for (let n = 2; names.has(name); n += 1) name = `${base} ${n}`;
    return name;
  }

  use(asset) {
    const { store } = this;
    const words = asset.id
      .replace(/\.\w+$/, "")
      .replaceAll("-", " ")
      .slice(0, 60);
    const name = this.freeName(words[0].toUpperCase() + words.slice(1));
    if (asset.sort === "picture") {
      const fields = store.document.fields ?? [];
      const id = freeId(fields, "picture");
      const patch = store.document.fields ? [] : [{ op: "add", path: "/fields", value: [] }];
      store.edit([
        ...patch,
        {
          op: "add",
          path: `/fields/${fields.length}`,
          value: { id, name, clauses: [{ id: "picture", kind: "picture", settings: { file: asset.id } }] },
        },
      ]);
      store.select("fields", id);
      store.set({ reach: id });
      return;
    }
    const { figures } = store.document;
    const id = freeId(figures, asset.sort);
    const figure = {
      id,
      name,
      routine: [{ id: "form", ...STEPS[asset.sort](asset.id) }],
      looks: [{ id: "surface", kind: "surface", settings: {} }],
    };
    store.edit([{ op: "add", path: `/figures/${figures.length}`, value: figure }]);
    store.select("figures", id);
  }
}
