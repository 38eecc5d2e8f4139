// Files dropped on the editor become figures: artwork, models and typefaces. A picture becomes a field; one that is
// brighter than white a light from all around.

import { freeId } from "./lines.js";
import { freeName } from "./names.js";
import { upload } from "../controls/pick.js";

const STEPS = {
  artwork: (id) => ({ kind: "artwork", settings: { file: id, size: 200 } }),
  model: (id) => ({ kind: "model", settings: { file: id } }),
  font: (id) => ({ kind: "lettering", settings: { typeface: id } }),
};

// Pictures brighter than white: see pirouette/assets/bright.py.
const BRIGHT = /\.(hdr|exr)$/;

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

  use(asset) {
    const { store } = this;
    const words = asset.id
      .replace(/\.\w+$/, "")
      .replaceAll("-", " ")
      .slice(0, 60);
    const name = freeName(store.document, words[0].toUpperCase() + words.slice(1));
    if (asset.sort === "picture" && BRIGHT.test(asset.id)) {
      const lights = store.document.lights ?? [];
      const patch = store.document.lights ? [] : [{ op: "add", path: "/lights", value: [] }];
      const value = {
        id: freeId(lights, "surroundings"),
        name,
        kind: "surroundings",
        settings: { picture: asset.id },
      };
      store.edit([...patch, { op: "add", path: `/lights/${lights.length}`, value }]);
      store.set({ tab: "space", open: `/lights/${lights.length}` });
      return;
    }
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
