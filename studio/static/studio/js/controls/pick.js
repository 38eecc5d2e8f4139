// Controls for settings that are not numbers: text, flags, other things of the scene, assets, points of a curve.

import { ApiError, postFile } from "../api.js";
import { h, icon } from "../lib/dom.js";

const WORDS = { font: "typeface", artwork: "artwork", model: "model", picture: "picture" };
const ACCEPT = {
  font: ".ttf,.otf,.woff2",
  artwork: ".svg",
  model: ".obj,.ply,.stl,.glb,.gltf",
  picture: ".png,.jpg,.jpeg,.webp,.hdr,.exr",
};

export function textValue(store, pointer, label, raw) {
  return h("textarea.text", {
    value: raw,
    rows: Math.min(4, raw.split("\n").length + 1),
    "aria-label": label,
    "data-focus": pointer,
    onkeydown: (event) => event.stopPropagation(),
    onchange: (event) => store.setValue(pointer, event.target.value),
  });
}

export function flagsValue(store, pointer, setting, label, raw) {
  return h(
    "div.flags",
    { role: "group", "aria-label": label },
    setting.choices.map((choice) => {
      const on = raw.includes(choice);
      return h(
        "button.chip",
        {
          type: "button",
          "aria-pressed": String(on),
          "data-focus": `${pointer} ${choice}`,
          onclick: () => store.setValue(pointer, on ? raw.filter((one) => one !== choice) : [...raw, choice]),
        },
        choice,
      );
    }),
  );
}

function thingsOf(store, setting, pointer) {
  const own = pointer.match(/^\/figures\/(\d+)\//)?.[1];
  return setting.choices
    .flatMap((family) => (store.document[family] ?? []).map((thing, index) => ({ thing, family, index })))
    .filter(({ family, index }) => !(family === "figures" && String(index) === own));
}

/** One other thing of the scene, or none. */
export function referenceValue(store, pointer, setting, label, raw) {
  return h(
    "select.value.choice",
    {
      "aria-label": label,
      "data-focus": pointer,
      onchange: (event) => store.setValue(pointer, event.target.value || null),
    },
    h("option", { value: "" }, setting.none),
    thingsOf(store, setting, pointer).map(({ thing }) =>
      h("option", { value: thing.id, selected: thing.id === raw }, thing.name),
    ),
  );
}

/** Several other things in an order, chosen by their pictures. */
export function referencesValue(store, finder, pointer, setting, label, raw) {
  const things = thingsOf(store, setting, pointer);
  // Only figures have pictures.
  const pictureOf = (id) =>
    things.some(({ thing, family }) => thing.id === id && family === "figures") ? figurePicture(store, id) : null;
  const word = setting.choices[0].replace(/s$/, "");
  const nameOf = (id) => things.find(({ thing }) => thing.id === id)?.thing.name ?? id;
  const write = (ids) => store.setValue(pointer, ids);
  const choose = () =>
    finder.open(
      things.map(({ thing }) => ({
        title: thing.name,
        help: raw.includes(thing.id) ? "chosen already; once more is another turn" : "",
        image: pictureOf(thing.id),
        icon: word,
        run: () => write([...raw, thing.id]),
      })),
      `Take another ${word}…`,
    );
  return h(
    "div.sorted",
    { role: "group", "aria-label": label },
    raw.map((id, index) =>
      h(
        "div.source",
        {},
        pictureOf(id) ? h("img", { src: pictureOf(id), alt: "", width: 40, height: 25 }) : icon(word),
        h("span", {}, nameOf(id)),
        h(
          "button.plain",
          {
            type: "button",
            "aria-label": `Move ${nameOf(id)} up`,
            disabled: index === 0,
            onclick: () => write(swapped(raw, index)),
          },
          icon("up"),
        ),
        h(
          "button.plain",
          {
            type: "button",
            "aria-label": `Take ${nameOf(id)} out`,
            onclick: () => write(raw.filter((_, k) => k !== index)),
          },
          icon("x"),
        ),
      ),
    ),
    h("button.btn.btn-sm.quiet", { type: "button", "data-focus": pointer, onclick: choose }, icon("plus"), word),
  );
}

function swapped(items, index) {
  const next = [...items];
  [next[index - 1], next[index]] = [next[index], next[index - 1]];
  return next;
}

const figurePicture = (store, id) => `/api/scenes/${store.sceneId}/figures/${id}/picture?${store.state.revision}`;

/** A file of the library: chosen by its preview, or uploaded. */
export function assetValue(store, finder, pointer, setting, label, raw) {
  const [sort] = setting.choices;
  const chosen = store.state.assets.find((one) => one.id === raw);
  const input = h("input.visually-hidden", {
    type: "file",
    accept: ACCEPT[sort],
    tabIndex: -1,
    "aria-hidden": "true",
    onchange: async () => {
      const asset = await upload(store, input.files[0]);
      if (asset) store.setValue(pointer, asset.id);
    },
  });
  const open = () =>
    finder.open(
      [
        ...store.state.assets
          .filter((one) => one.sort === sort)
          .map((one) => ({
            title: one.name,
            words: one.id,
            help: one.summary,
            image: one.preview,
            run: () => store.setValue(pointer, one.id),
          })),
        { title: `Upload a ${WORDS[sort]}…`, icon: "upload", run: () => input.click() },
        ...(raw === null ? [] : [{ title: "None", icon: "x", run: () => store.setValue(pointer, null) }]),
      ],
      `Choose a ${WORDS[sort]}…`,
    );
  return h(
    "span",
    {},
    h(
      "button.asset-choice",
      { type: "button", "aria-label": label, "data-focus": pointer, onclick: open },
      chosen
        ? [h("img", { src: chosen.preview, alt: "", width: 48, height: 30 }), h("span", {}, chosen.name)]
        : [icon(sort), h("span", {}, `choose a ${WORDS[sort]}`)],
    ),
    input,
  );
}

/** Upload a file; returns the asset, or null after saying why it was refused. */
export async function upload(store, file) {
  if (!file) return null;
  try {
    const asset = await postFile("/assets", file);
    if (!store.state.assets.some((one) => one.id === asset.id)) store.set({ assets: [...store.state.assets, asset] });
    if (asset.notes.length) store.set({ problem: `${asset.id}: ${asset.notes.join("; ")}.` });
    return asset;
  } catch (error) {
    if (!(error instanceof ApiError)) throw error;
    store.set({ problem: error.message });
    return null;
  }
}
