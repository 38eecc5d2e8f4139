// What the finder offers when nothing in particular is asked for: commands, kinds, the things of the scene, and the
// settings of what is selected.

import { pointerParts } from "../lib/json-patch.js";
import { matters } from "../lib/matters.js";
import { plainWords } from "../lib/words.js";
import { kindEntries } from "./finder.js";
import { addLine } from "./lines.js";

// What the view shades instead of a field's reach: the name of an attribute after this.
export const SHADED_BY = "attribute:";
// Of two entries that are found alike, a kind or command comes first, then things, then their settings.
// What has no effect as the settings beside it are comes last.
const [THING, SETTING, IDLE_SETTING] = [0.1, 0.3, 1.3];

/** Open what a pointer names and go to one of its settings. */
function goTo(store, pointer, tab) {
  store.set({ tab, open: null });
  const [family, index] = pointerParts(pointer);
  if (family === "figures" || family === "fields") store.select(family, store.document[family][index].id);
  store.set({ open: pointer });
}

function focusSetting(pointer) {
  requestAnimationFrame(() => {
    const control = document.querySelector(
      `#details [data-pointer="${pointer}"], #details [data-pointer^="${pointer}/"]`,
    );
    control?.closest("details")?.setAttribute("open", "");
    (control ?? document.querySelector("#details button"))?.focus();
  });
}

/** Entries for the settings of a kind's line or of a thing. */
function settingEntries(store, of, settings, open, base, tab) {
  const valueOf = (name) => store.valueAt(`${base}/${name}`);
  return settings.map(({ name, help, words, ...setting }) => ({
    title: `${plainWords(name)} of ${of}`,
    words: `${words} setting`,
    help,
    icon: "sliders",
    weight: matters(setting, settings, valueOf) ? SETTING : IDLE_SETTING,
    run: () => {
      goTo(store, open, tab);
      focusSetting(`${base}/${name}`);
    },
  }));
}

/** Entries for the figures, fields, cameras, lights and guides of the scene: they are selected or opened. */
function thingEntries(store) {
  const { document } = store;
  const entry = (thing, words, icon, run) => ({ title: thing.name, words, help: words, icon, weight: THING, run });
  const inSpace = (list, words, icon) =>
    (document[list] ?? []).map((thing, index) =>
      entry(thing, words, icon, () => goTo(store, `/${list}/${index}`, "space")),
    );
  return [
    ...document.figures.map((one) => entry(one, "figure", "box", () => store.select("figures", one.id))),
    ...(document.fields ?? []).map((one) => entry(one, "field", "only", () => store.select("fields", one.id))),
    ...inSpace("cameras", "camera", "camera"),
    ...inSpace("lights", "light", "sun"),
    ...inSpace("guides", "guide", "guide"),
  ];
}

/** Entries for the settings of all lines of a list. */
function lineEntries(store, list, family, tab) {
  return (store.valueAt(list) ?? []).flatMap((item, k) => {
    const pointer = `${list}/${k}`;
    const { settings } = store.kinds[family][item.kind];
    return settingEntries(store, item.name ?? plainWords(item.kind), settings, pointer, `${pointer}/settings`, tab);
  });
}

/** Entries for the settings of the whole scene, and of the figure or field that is selected. */
function settingsInSight(store, figure, field) {
  const { frame, clock, place, camera } = store.catalogue.things;
  const entries = [
    ...settingEntries(store, "the frame", frame, "/frame", "/frame", "space"),
    ...settingEntries(store, "the clock", clock, "/clock", "/clock", "space"),
    ...store.document.cameras.flatMap((one, k) =>
      settingEntries(store, one.name, camera, `/cameras/${k}`, `/cameras/${k}/settings`, "space"),
    ),
    ...lineEntries(store, "/lights", "lights", "space"),
    ...lineEntries(store, "/finish", "finishes", "finish"),
  ];
  if (field >= 0) entries.push(...lineEntries(store, `/fields/${field}/clauses`, "clauses", "fields"));
  if (figure < 0) return entries;
  const base = `/figures/${figure}`;
  const { name } = store.document.figures[figure];
  return [
    ...entries,
    ...settingEntries(store, name, place, base, `${base}/place`, "figures"),
    ...lineEntries(store, `${base}/routine`, "steps", "figures"),
    ...lineEntries(store, `${base}/looks`, "looks", "figures"),
  ];
}

/** Entries for all kinds; those that need something to be added to say so where there is nothing. */
function everyKind(store, figure, field, { addFigure, addLight, addEffect }) {
  const { catalogue } = store;
  const { open } = store.state;
  const say = (problem) => () => store.set({ problem });
  const ofFigure = (list) =>
    figure < 0
      ? say("Select a figure first: it is added to that.")
      : (kind) => addLine(store, `/figures/${figure}/${list}`, kind);
  const step = /^\/figures\/\d+\/routine\/\d+$/.test(open ?? "") ? store.valueAt(open) : null;
  const forms = catalogue.steps.filter((kind) => kind.group === "form");
  const steps = catalogue.steps.filter((kind) => kind.group !== "form");
  return [
    ...kindEntries(forms, addFigure),
    ...kindEntries(steps, ofFigure("routine")),
    ...kindEntries(catalogue.looks, ofFigure("looks")),
    ...kindEntries(catalogue.lights, addLight),
    ...kindEntries(catalogue.finishes, addEffect),
    ...kindEntries(
      catalogue.clauses,
      field < 0
        ? say("Select a field first: it is added to that.")
        : (kind) => addLine(store, `/fields/${field}/clauses`, kind),
    ),
    ...kindEntries(
      catalogue.forces,
      step && store.kinds.steps[step.kind].takes_forces
        ? (kind) => addLine(store, `${open}/forces`, kind)
        : say("Open a step that takes forces first: a swarm, strands or jiggle."),
    ),
  ];
}

/** All entries; `adds` are the functions that add a figure, a light and an effect of a kind. */
export function paletteEntries(store, commands, adds) {
  const { selection } = store.state;
  const chosen = (family) =>
    (store.document[family] ?? []).findIndex(({ id }) => selection?.family === family && id === selection.id);
  const [figure, field] = [chosen("figures"), chosen("fields")];
  const shades = Object.entries(store.catalogue.formulas.attributes).map(([name, help]) => ({
    title: `Shade by ${name}`,
    help,
    icon: "palette",
    run: () => store.set({ reach: `${SHADED_BY}${name}` }),
  }));
  return [
    ...commands.map((command) => ({ ...command, icon: "right" })),
    ...everyKind(store, figure, field, adds),
    ...thingEntries(store),
    ...settingsInSight(store, figure, field),
    ...shades,
  ];
}
