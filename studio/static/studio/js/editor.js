// The editor: makes the store and the panels, and listens to the keyboard.

import { h } from "./lib/dom.js";
import { pacesOf } from "./lib/pace.js";
import { LINE, ownerOf } from "./lib/parts.js";
import { READ_MS, seldom } from "./lib/seldom.js";
import { isPressed } from "./lib/shortcut.js";
import { canMove } from "./lib/sort.js";
import { Clipboard } from "./panels/clipboard.js";
import { Details } from "./panels/details.js";
import { Dial } from "./panels/dial.js";
import { Drop } from "./panels/drop.js";
import { Fields, removeField } from "./panels/fields.js";
import { duplicateFigures, Figures, removeFigures, rename } from "./panels/figures.js";
import { Finder } from "./panels/finder.js";
import { Finish } from "./panels/finish.js";
import { Header } from "./panels/header.js";
import { Lanes } from "./panels/lanes.js";
import { duplicateLine, removeLine } from "./panels/lines.js";
import { convertValue, keyValue } from "./panels/moving.js";
import { noteCount, notesOf } from "./panels/notes.js";
import { Onion } from "./panels/onion.js";
import { paletteEntries, SHADED_BY } from "./panels/palette.js";
import { removeThing } from "./panels/references.js";
import { Phrases, phraseEntries, putPhrase } from "./panels/phrases.js";
import { Progress } from "./panels/progress.js";
import { Proofs } from "./panels/proofs.js";
import { Renders } from "./panels/renders.js";
import { Sheet } from "./panels/sheet.js";
import { notesOfSpace, Space } from "./panels/space.js";
import { States } from "./panels/states.js";
import { namedBy, subjectOf } from "./panels/subject.js";
import { showNow } from "./controls/value.js";
import { Playback } from "./playback.js";
import { Store } from "./store.js";
import { switchTheme } from "./theme.js";
import { Handles } from "./viewport/handles.js";
import { takeView } from "./viewport/take-view.js";
import { PaintedView } from "./viewport/painted.js";
import { contextOf, Viewport } from "./viewport/viewport.js";

const PACE_MS = 300;
const TIME_ZOOM = 1.5;
const TABS = ["figures", "fields", "space", "finish"];
const byId = (id) => document.getElementById(id);
// Both are under way since the page's first line; a finder that is opened at once has all that it ever has.
const [catalogue, kept] = await Promise.all([
  fetch(byId("catalogue").href),
  fetch(byId("phrases").href).catch(() => null),
]);
const store = new Store({
  ...JSON.parse(byId("data").textContent),
  catalogue: await catalogue.json(),
  phrases: kept?.ok ? await kept.json() : null,
});
store.watch();
const finder = new Finder();
const viewport = openView();
store.on("drawn", (header) => {
  const first = !store.drawnHeader;
  store.drawnHeader = header;
  if (first) store.emit("notes", store.state);
});
new Header(store);
const phrases = new Phrases(store, byId("phrase-dialog"));
const figures = new Figures(store, byId("panel-figures"), finder, phrases);
new Fields(store, byId("panel-fields"), finder);
const space = new Space(store, byId("panel-space"), finder);
const finish = new Finish(store, byId("panel-finish"), finder);
new Details(store, byId("details"), finder);
const dial = new Dial(store, byId("dial"));
new Progress(store, byId("progress"));
const lanes = new Lanes(store, byId("lanes"));
const proofs = new Proofs(store, viewport, byId("proof-layer"));
const renders = new Renders(store);
const sheet = new Sheet(store, byId("sheet-dialog"));
const playback = new Playback(store, viewport);
const handles = new Handles(store, viewport);
handles.headers = playback.headers;
viewport.holds(playback.now);
const onion = new Onion(store, byId("onion"));
const states = new States(store, viewport, byId("states-dialog"), byId("compare"));
byId("saved").addEventListener("click", () => states.open());
let paceTimer = null;
store.on("held", () => {
  clearTimeout(paceTimer);
  if (store.state.held.size < store.clock.frames) dial.showPace([]);
  else
    paceTimer = setTimeout(
      () => store.state.playing || dial.showPace(pacesOf(playback.headers, playback.buffers, store.clock)),
      PACE_MS,
    );
});
store.on("held", () => handles.show());
const clipboard = new Clipboard(store);
const drop = new Drop(store, document.documentElement);

/** The view: drawn here, or by the server where there is no WebGL. */
function openView() {
  const canvas = byId("canvas");
  const context = contextOf(canvas);
  return context ? new Viewport(store, canvas, context) : new PaintedView(store, canvas);
}

function showTab() {
  for (const tab of TABS) {
    const chosen = store.state.tab === tab;
    byId(`tab-${tab}`).setAttribute("aria-selected", String(chosen));
    byId(`tab-${tab}`).tabIndex = chosen ? 0 : -1;
    byId(`panel-${tab}`).hidden = !chosen;
  }
}
for (const tab of TABS) byId(`tab-${tab}`).addEventListener("click", () => store.set({ tab }));
byId("tabs").addEventListener("keydown", (event) => {
  const by = { ArrowRight: 1, ArrowLeft: -1 }[event.key];
  const end = { Home: 0, End: TABS.length - 1 }[event.key];
  if (!by && end === undefined) return;
  event.preventDefault();
  event.stopPropagation();
  const tab = TABS[end ?? (TABS.indexOf(store.state.tab) + by + TABS.length) % TABS.length];
  store.set({ tab });
  byId(`tab-${tab}`).focus();
});
store.on("tab", showTab);
showTab();

/** What is told of in another part of the scene is counted on its tab. */
function showNoteCounts() {
  const names = (store.document.fields ?? []).map((field) => field.name);
  const found = { fields: notesOf(store, ...names), space: notesOfSpace(store), finish: notesOf(store, "Finish") };
  for (const [tab, notes] of Object.entries(found))
    byId(`tab-${tab}`).replaceChildren(tab[0].toUpperCase() + tab.slice(1), noteCount(notes) ?? "");
}
store.on("notes document", showNoteCounts);

const attributeOf = (reach) => (reach?.startsWith(SHADED_BY) ? reach.slice(SHADED_BY.length) : null);

function showChips() {
  const { free, flat, reach } = store.state;
  const camera = store.document.cameras.find(
    (one) => one.id === (store.document.camera ?? store.document.cameras[0].id),
  );
  const lens = camera.settings?.lens ?? 35;
  byId("chip-camera").textContent = free
    ? "Free view – back to the camera"
    : `${camera.name} · ${typeof lens === "number" ? `${lens} mm` : "lens moves"}`;
  byId("chip-light").textContent = flat ? "Flat colours" : "As it renders";
  const field = store.document.fields?.find((one) => one.id === reach);
  byId("chip-snap").setAttribute("aria-pressed", String(store.state.snap));
  const attribute = attributeOf(reach);
  byId("chip-reach").hidden = !field && !attribute;
  byId("chip-reach").textContent = attribute ? `Shaded by ${attribute}` : field ? `Reach: ${field.name}` : "";
}
byId("chip-camera").addEventListener("click", () => viewport.backToCamera());
byId("chip-light").addEventListener("click", () => store.set({ flat: !store.state.flat }));
byId("chip-snap").addEventListener("click", () => store.set({ snap: !store.state.snap }));
byId("chip-reach").addEventListener("click", () => store.set({ reach: null }));
store.on("free flat reach snap document", showChips);
store.on("drawn", (header) => {
  const attribute = attributeOf(store.state.reach);
  if (!attribute) return;
  const isCarried = header.drawables.some((one) => one.reach);
  byId("chip-reach").textContent = isCarried ? `Shaded by ${attribute}` : `Nothing carries ${attribute}`;
});
showChips();

function putCamera() {
  if (!viewport.free)
    store.set({ problem: "The view is the camera's own already: drag in the view to look from elsewhere first." });
  else if (!takeView(store, viewport))
    store.set({ problem: "The camera cannot stand there: what it follows is flattened to nothing." });
}

/** The safe areas lie within the picture's own frame: nine tenths of it for action, eight for titles. */
function showSafeAreas() {
  const { safe } = store.state;
  byId("chip-safe").setAttribute("aria-pressed", String(safe));
  byId("safe-areas").hidden = !safe;
  if (!safe || !viewport.header) return;
  const [x, y, w, hh] = viewport.frameBox();
  [0.9, 0.8].forEach((share, k) => {
    const rest = (1 - share) / 2;
    Object.assign(byId("safe-areas").children[k].style, {
      left: `${(x + w * rest) * 100}%`,
      bottom: `${(y + hh * rest) * 100}%`,
      width: `${w * share * 100}%`,
      height: `${hh * share * 100}%`,
    });
  });
}
byId("chip-safe").addEventListener("click", () => store.set({ safe: !store.state.safe }));
store.on("safe drawn", showSafeAreas);

const showValues = () => store.state.playing || store.gesture || showNow(document.querySelector(".recipe"));
const showValuesSeldom = seldom(showValues, READ_MS);
store.on("frame playing", () => (store.state.scrubbing ? showValuesSeldom : showValues)());

store.on("recording", () => document.body.classList.toggle("recording", store.state.recording));

function showProblem() {
  const { problem } = store.state;
  byId("problem").hidden = !problem;
  byId("problem-words").textContent = problem ?? "";
  byId("problem-mine").hidden = !store.state.mine;
}
byId("problem-mine").addEventListener("click", () => store.useMine());
byId("problem-close").addEventListener("click", () => store.set({ problem: null }));
store.on("problem mine", showProblem);

/** Do something with the value that has the focus: act(pointer, its declaration). */
function withFocused(keys, does, act) {
  const pointer = document.activeElement?.dataset.pointer;
  if (pointer) act(pointer, store.declared(pointer));
  else store.set({ problem: `Focus a value first (Tab, or point at it in its line); then ${keys} ${does} it.` });
}

function keyFocused() {
  withFocused("K", "keys", (pointer, setting) => keyValue(store, pointer, setting));
}

/** Let the focused value swing or follow a formula, and open its settings. */
function convertFocused(keys, does, sort) {
  withFocused(keys, does, (pointer, setting) => {
    if (!canMove(setting, pointer)) {
      store.set({ problem: "This value stays the same over all frames." });
      return;
    }
    convertValue(store, setting, pointer, sort);
    store.set({ open: ownerOf(pointer) });
  });
}

/** Type another name for what has the focus or is chosen. */
function renameSelected() {
  const base = namedBy(store, subjectOf(store, document.activeElement));
  const element = base && document.querySelector(`[data-names="${base}"]`);
  if (element) rename(store, element, `${base}/name`, store.valueAt(base).name);
  else store.set({ problem: "Choose a figure, field, camera, light or guide first; then F2 renames it." });
}

function jumpKey(way) {
  const { frame, lanes } = store.state;
  const frames = [...new Set(lanes.flatMap((lane) => lane.keys.map((key) => key.frame)))].sort((a, b) => a - b);
  const next =
    way > 0
      ? (frames.find((one) => one > frame) ?? frames[0])
      : (frames.findLast((one) => one < frame) ?? frames.at(-1));
  if (next !== undefined) store.seek(next);
}

function duplicateSelected() {
  const subject = subjectOf(store, document.activeElement);
  if (LINE.test(subject?.line)) duplicateLine(store, subject.line);
  else if (subject?.figures) duplicateFigures(store, subject.figures);
}

function removeSelected() {
  const subject = subjectOf(store, document.activeElement);
  if (/^\/(guides|cameras)\//.test(subject?.line)) removeThing(store, subject.line);
  else if (subject?.line) removeLine(store, subject.line);
  else if (subject?.figures) removeFigures(store, subject.figures);
  else if (subject) removeField(store, subject.field);
}

function selectAll() {
  const ids = store.document.figures.map((figure) => figure.id);
  if (!ids.length || store.state.tab !== "figures") return;
  if (!ids.includes(store.state.selection?.id)) store.select("figures", ids[0]);
  store.set({ also: new Set(ids.filter((id) => id !== store.state.selection.id)) });
}

const COMMANDS = [
  {
    title: "Play or pause",
    words: "start stop run preview animate",
    keys: "Space",
    run: () => store.set({ playing: !store.state.playing }),
  },
  { title: "A frame back", words: "previous step", keys: ",", run: () => store.stepFrames(-1) },
  { title: "A frame on", words: "next step forward", keys: ".", run: () => store.stepFrames(1) },
  { title: "Key before", words: "previous keyframe", keys: "[", run: () => jumpKey(-1) },
  { title: "Key after", words: "next keyframe", keys: "]", run: () => jumpKey(1) },
  { title: "First frame", words: "start beginning rewind", keys: "Home", run: () => store.seek(0) },
  {
    title: "Begin the work area here",
    words: "in point loop range",
    keys: "I",
    run: () => store.bound("first"),
  },
  {
    title: "End the work area here",
    words: "out point loop range",
    keys: "O",
    run: () => store.bound("end"),
  },
  {
    title: "Work on the whole scene",
    words: "range all",
    keys: "U",
    run: () => store.set({ work: null }),
  },
  {
    title: "Closer in time",
    words: "zoom timeline in",
    keys: "+ or =",
    run: () => lanes.zoom(1 / TIME_ZOOM, store.state.frame),
  },
  {
    title: "Wider in time",
    words: "zoom timeline out",
    keys: "−",
    run: () => lanes.zoom(TIME_ZOOM, store.state.frame),
  },
  {
    title: "Key the focused value",
    words: "keyframe animate set",
    keys: "K",
    run: keyFocused,
  },
  {
    title: "Let the focused value swing",
    words: "oscillate wave animate sine wiggle",
    keys: "W",
    run: () => convertFocused("W", "swings", "swing"),
  },
  {
    title: "Give the focused value a formula",
    words: "expression compute animate math",
    keys: "E",
    run: () => convertFocused("E", "computes", "formula"),
  },
  {
    title: "Record changes as keys",
    words: "auto keyframe animate",
    keys: "Shift K",
    run: () => store.set({ recording: !store.state.recording }),
  },
  {
    title: "Bring the selection into view",
    words: "focus frame zoom fit center",
    keys: "F",
    run: () => viewport.frameSelection(),
  },
  {
    title: "Back to the camera",
    words: "view look through",
    keys: "C",
    run: () => viewport.backToCamera(),
  },
  {
    title: "Put the camera where the view is",
    words: "match align camera view",
    keys: "Shift C",
    run: putCamera,
  },
  { title: "Proof", words: "preview render test draft", keys: "P", run: () => proofs.make() },
  { title: "Proof of a part", words: "region crop render preview area", keys: "Y", run: () => proofs.choosePart() },
  { title: "Contact sheet", words: "overview thumbnails frames", keys: "Shift P", run: () => sheet.open() },
  { title: "Onion skins", words: "ghosts frames", keys: "G", run: () => onion.toggle() },
  {
    title: "Earlier states of the scene",
    words: "history versions revisions snapshot",
    keys: "H",
    run: () => states.open(),
  },
  {
    title: "Then or now, while comparing",
    words: "before after versions",
    keys: "B",
    run: () => states.toggle(),
  },
  {
    title: "Safe areas",
    words: "title action guides overlay",
    keys: "A",
    run: () => store.set({ safe: !store.state.safe }),
  },
  {
    title: "Render",
    words: "export save movie video mp4 png gif image sequence output download",
    keys: "R",
    run: () => renders.open(),
  },
  { title: "Find a command or a step", words: "search palette", keys: "/", run: () => openPalette() },
  {
    title: "All keys",
    words: "shortcuts hotkeys help keyboard",
    keys: "?",
    run: () => byId("keys-dialog").showModal(),
  },
  { title: "Evening or daylight", words: "theme dark light mode", keys: "T", run: switchTheme },
  {
    title: "Undo",
    words: "back revert",
    keys: "Ctrl Z",
    run: () => store.undo(),
  },
  {
    title: "Redo",
    words: "again forward",
    keys: "Ctrl Shift Z",
    run: () => store.redo(),
  },
  { title: "Rename", words: "name call title label", keys: "F2", run: renameSelected },
  { title: "Duplicate", words: "copy clone", keys: "Ctrl D", run: duplicateSelected },
  {
    title: "Copy the value or line",
    words: "clipboard",
    keys: "Ctrl C",
    run: () => clipboard.copy(),
  },
  {
    title: "Paste the value or line",
    words: "clipboard insert",
    keys: "Ctrl V",
    run: () => clipboard.paste(),
  },
  {
    title: "Keep as a phrase",
    words: "preset template library save reuse snippet bookmark",
    keys: "S",
    run: keepPhrase,
  },
  {
    title: "Select all figures",
    words: "everything",
    keys: "Ctrl A",
    run: selectAll,
  },
  {
    title: "Snap handles to round numbers",
    words: "grid round",
    keys: "N",
    run: () => store.set({ snap: !store.state.snap }),
  },
  { title: "Remove", words: "delete erase clear", keys: "Del", run: removeSelected },
];

/** Keep the selected figure, or the steps of it from the open one on. */
function keepPhrase() {
  const open = store.state.open?.match(/^\/figures\/(\d+)\/routine\/(\d+)$/);
  if (open) phrases.keep(Number(open[1]), Number(open[2]));
  else phrases.keep(store.selectedFigures()[0] ?? -1);
}

/** Put in a phrase that was found by its name: a figure, or steps after the open one of the selected figure. */
function usePhrase(phrase) {
  const [index] = store.selectedFigures();
  const open = store.state.open?.match(new RegExp(`^/figures/${index}/routine/(\\d+)$`));
  if (!phrase.whole && index === undefined)
    store.set({ problem: "Select a figure first: the steps are added to that." });
  else putPhrase(store, phrase, index, open ? Number(open[1]) + 1 : null);
}

function openPalette() {
  const entries = paletteEntries(store, COMMANDS, {
    addFigure: (kind) => figures.beginWith(kind),
    addLight: (kind) => space.addLight(kind),
    addEffect: (kind) => finish.add(kind),
  });
  entries.push(...phraseEntries(store, null, usePhrase));
  finder.open(entries, "Find anything: a command, a step, a setting…");
}

/** Leave what waits for a click in the view, or else what is open. */
function escape() {
  if (store.state.picking) store.set({ picking: null });
  else if (!proofs.leave()) store.set({ open: null, problem: null, grip: null, also: new Set() });
}

// What is held down by the pointer, and what that is in: Escape lets go of it, and takes back what was dragged.
let held = null;
document.addEventListener("pointerdown", (event) => (held = event.composedPath()), true);
for (const name of ["pointerup", "pointercancel"]) document.addEventListener(name, () => (held = null), true);

function cancelDrag() {
  const { gesture } = store;
  // A picture that came meanwhile has brought other handles: what they are in still drags.
  for (const one of new Set([held[0], held.find(({ isConnected }) => isConnected)]))
    one.dispatchEvent(new PointerEvent("pointercancel", { bubbles: true }));
  if (gesture && store.lastGesture === gesture) store.undo();
}

// Escape leaves a field as it was when it was entered.
let entered = "";
document.addEventListener("focusin", (event) => (entered = event.target.value));

document.addEventListener("keydown", (event) => {
  if (event.key === "Escape" && held) {
    event.preventDefault();
    cancelDrag();
    return;
  }
  const inText = event.target.matches("input:not([type=checkbox]):not([type=color]), textarea, select");
  if (inText && event.key === "Escape" && !document.querySelector("dialog[open]")) {
    if (!event.target.matches("select")) event.target.value = entered;
    event.target.blur();
    return;
  }
  if (inText && (isPressed("Ctrl A", event) || !(event.ctrlKey || event.metaKey))) return;
  if (document.querySelector("dialog[open]")) return;
  // Space and Enter press the focused button, as everywhere.
  if (event.key === " " && event.target.matches("button, a, summary, input")) return;
  // Words that are selected on the page are copied as everywhere.
  if (isPressed("Ctrl C", event) && String(window.getSelection())) return;
  const command = COMMANDS.find(({ keys }) => isPressed(keys, event));
  if (!command) {
    if (event.key === "Escape") escape();
    return;
  }
  event.preventDefault();
  command.run();
});

byId("find").addEventListener("click", openPalette);
byId("keys").addEventListener("click", () => byId("keys-dialog").showModal());
byId("keys-list").replaceChildren(
  ...COMMANDS.flatMap((command) => [h("dt", {}, h("kbd", {}, command.keys)), h("dd", {}, command.title)]),
);
for (const dialog of document.querySelectorAll("dialog"))
  dialog.querySelector(".close")?.addEventListener("click", () => dialog.close());

// A handle for tests that drive the real page.
window.pirouette = { store, viewport, playback, handles, drop };
