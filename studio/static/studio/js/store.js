// The page's state, and the only place where it changes. Panels subscribe to what they show.

import { ApiError, getJson, untilAnswered } from "./api.js";
import { Delivery } from "./delivery.js";
import { setOperations } from "./lib/json-patch.js";
import { recorded } from "./lib/keys.js";
import { mirrored } from "./lib/mirror.js";
import { wrapped } from "./lib/numbers.js";
import { canMove } from "./lib/sort.js";

// Parts of a thing that hold settings, and what the catalogue calls them.
const PARTS = { place: "place", joining: "joining", own_time: "own_time", cut: "cut", after: "after" };
const CHECK_DELAY_MS = 350;
// So long after the last move of the playhead it is no longer scrubbed.
const SCRUB_MS = 300;

export class Store extends Delivery {
  constructor({ scene, catalogue, assets, formats, phrases }) {
    super(scene, {
      document: scene.document,
      revision: scene.revision,
      saved: scene.saved,
      saving: false,
      waitingSince: null, // when the server last failed to answer, while it does
      canUndo: scene.canUndo,
      canRedo: scene.canRedo,
      frame: 0,
      playing: false,
      scrubbing: false, // whether the playhead is dragged, or moved by a key that is held
      tab: "figures",
      selection: firstSelection(scene.document),
      also: new Set(),
      unfolded: new Set(), // "figure phrase" of each phrase whose steps are to be seen
      assets,
      snap: false,
      grip: null,
      picking: null,
      open: null,
      reach: null,
      lanes: [],
      seam: null,
      notes: [],
      held: new Set(),
      settled: null, // stretches [first, end] of frames for which no simulation has to be computed; null if there is none
      progress: null, // how far a simulation has come that the page waits for
      problem: null,
      mine: null, // what was not saved because somebody else had changed the same; it can be written after all
      refused: new Map(), // what the last edit wanted to write, by its pointer, if it was refused
      recording: false,
      work: null, // [first, end] of the stretch that plays, or the whole scene
      safe: false,
      flat: false,
      free: false,
      onion: { on: false, each: 3, apart: 4 },
      compared: null, // the earlier state that the scene is compared with
      side: "now", // what the view shows of the two: then, now or wipe
      wipe: 0.5,
    });
    this.catalogue = catalogue;
    this.formats = formats;
    this.phrases = phrases ?? [];
    // The server was too busy to tell them with the page.
    if (!phrases) this.findPhrases();
    this.kinds = Object.fromEntries(
      Object.entries(catalogue)
        .filter(([family]) => Array.isArray(catalogue[family]))
        .map(([family, kinds]) => [family, Object.fromEntries(kinds.map((kind) => [kind.id, kind]))]),
    );
    this.heldKeys = () => [];
    this.on("confirmed", () => this.scheduleChecks());
    this.scheduleChecks();
  }

  get clock() {
    const clock = this.document.clock;
    return { fps: clock.fps ?? 24, frames: clock.frames ?? 96, loops: clock.loops ?? true };
  }

  /** Set a value; where several figures are selected, the others that have the same get it too. */
  setValue(pointer, value, options) {
    if (this.state.recording) value = this.recorded(pointer, value);
    const others = this.selectedFigures();
    const more = others.length > 1 ? mirrored(this.document, pointer, value, others) : [];
    this.edit([...setOperations(this.document, pointer, value), ...more], options);
  }

  /** While changes are recorded, a number or colour becomes a key at the playhead. */
  recorded(pointer, value) {
    if (typeof value !== "number" && !/^#[0-9a-f]{6}$/i.test(value)) return value;
    const setting = this.declared(pointer);
    if (!canMove(setting, pointer)) return value;
    return recorded(this.valueAt(pointer) ?? setting.default, value, this.state.frame);
  }

  /**
   * The declaration of a value; of a part of a vector or of points of a curve that of a number, with the default of the
   * whole and the pointer to it. Undefined for what is no setting.
   */
  declared(pointer) {
    const parts = pointer.split("/");
    const at = parts.findIndex((part) => part === "settings" || part in PARTS || part === "frame" || part === "clock");
    const [name, ...way] = parts.slice(at + 1);
    const item = this.valueAt(parts.slice(0, at).join("/"));
    const kind = Object.values(this.kinds)
      .map((family) => family[item?.kind])
      .find(Boolean);
    const settings =
      parts[at] === "settings"
        ? (kind?.settings ?? this.catalogue.things.camera)
        : this.catalogue.things[PARTS[parts[at]] ?? parts[1]];
    const setting = settings?.find((one) => one.name === name);
    if (!setting || way.length !== (way.length && { vector: 1, nodes: 3 }[setting.sort])) return undefined;
    if (!way.length) return setting;
    const wholeAt = parts.slice(0, at + 2).join("/");
    const start = way.reduce((value, part) => value?.[part], setting.default);
    return { ...setting, sort: "number", can_move: true, whole: setting.default, wholeAt, default: start ?? 0 };
  }

  /** The numbers of all selected figures, the first selected one first. */
  selectedFigures() {
    const { selection, also } = this.state;
    if (selection?.family !== "figures") return [];
    const ids = [selection.id, ...[...also].filter((id) => id !== selection.id)];
    return ids.map((id) => this.document.figures.findIndex((figure) => figure.id === id)).filter((index) => index >= 0);
  }

  /** Ask which phrases there are. */
  async findPhrases() {
    try {
      this.phrases = await untilAnswered(
        () => getJson("/phrases"),
        () => {},
      );
    } catch (error) {
      if (!(error instanceof ApiError)) throw error;
    }
  }

  scheduleChecks() {
    clearTimeout(this.checkTimer);
    this.checkTimer = setTimeout(() => this.runChecks(), CHECK_DELAY_MS);
  }

  async runChecks() {
    if (!this.isIdle) return this.scheduleChecks();
    try {
      const { lanes, seam, notes, revision } = await getJson(`/scenes/${this.sceneId}/checks?view=${this.viewId}`);
      if (revision === this.state.revision) this.set({ lanes, seam, notes });
    } catch (error) {
      if (!(error instanceof ApiError)) throw error;
    }
  }

  /** The first frame that plays, and the one before which it begins again. */
  get stretch() {
    const { frames } = this.clock;
    const [first, end] = this.state.work ?? [0, frames];
    return first < Math.min(end, frames) ? [first, Math.min(end, frames)] : [0, frames];
  }

  /** Begin or end the work area at the playhead; one that would be empty becomes the whole scene. */
  bound(what) {
    const [first, end] = this.stretch;
    const { frame } = this.state;
    const next =
      what === "first" ? [frame, end > frame ? end : this.clock.frames] : [first <= frame ? first : 0, frame + 1];
    this.set({ work: next[0] === 0 && next[1] === this.clock.frames ? null : next });
  }

  seek(frame) {
    const { frames, loops } = this.clock;
    const whole = Math.round(frame);
    this.set({ frame: loops ? wrapped(whole, frames) : Math.max(0, Math.min(frames - 1, whole)) });
  }

  /** Seek as one of many moves, which are shown coarsely rather than late. */
  scrub(frame) {
    clearTimeout(this.scrubTimer);
    this.scrubTimer = setTimeout(() => this.set({ scrubbing: false }), SCRUB_MS);
    this.set({ scrubbing: true });
    this.seek(frame);
  }

  /** Go some frames on or back; again and again, as by a held key, is scrubbing. */
  stepFrames(by) {
    const now = performance.now();
    const isAgain = now - (this.steppedAt ?? -Infinity) < SCRUB_MS;
    this.steppedAt = now;
    if (isAgain) this.scrub(this.state.frame + by);
    else this.seek(this.state.frame + by);
  }

  /** The figure whose card is open: the one selected, or selected last. */
  get openFigure() {
    const { selection } = this.state;
    if (selection?.family === "figures") this.lastFigure = selection.id;
    return this.lastFigure;
  }

  /** Select a thing; `adds` puts a figure to those that are selected already, or takes it out again. */
  select(family, id, { adds = false } = {}) {
    const { selection, also } = this.state;
    if (adds && family === "figures" && selection?.family === "figures" && id !== selection.id) {
      const next = new Set(also);
      if (!next.delete(id)) next.add(id);
      this.set({ also: next, selection: { ...selection } });
      return;
    }
    this.set({ also: new Set() });
    this.set({
      selection: id === null ? null : { family, id },
      tab: family === "fields" ? "fields" : family === "figures" ? "figures" : family === "finish" ? "finish" : "space",
    });
  }

  /** The number that a moving value has at the shown frame, from its lane. */
  liveValue(pointer) {
    const { lanes } = this.state;
    if (this.lanesKnown !== lanes) {
      this.lanesKnown = lanes;
      this.laneOf = new Map(lanes.map((lane) => [lane.pointer, lane]));
    }
    const lane = this.laneOf.get(pointer);
    return lane?.samples[Math.min(Math.round(this.state.frame / lane.step), lane.samples.length - 1)];
  }
}

/** A scene opens on its most worked-on figure. */
function firstSelection({ figures }) {
  const [first] = [...figures].sort((a, b) => (b.routine?.length ?? 0) - (a.routine?.length ?? 0));
  return first ? { family: "figures", id: first.id } : null;
}
