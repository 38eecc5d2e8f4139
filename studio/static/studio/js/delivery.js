// The document between the page and the server: changed here at once, sent in order, kept until it is acknowledged, and
// brought together with what others change meanwhile.

import { ApiError, getJson, isPassing, postForPacket, postJson, untilAnswered } from "./api.js";
import { applyPatch, valueAt } from "./lib/json-patch.js";
import { carriedOver } from "./lib/rebase.js";
import { State } from "./lib/state.js";
import { Outbox } from "./outbox.js";
import { plainWords } from "./lib/words.js";

const RETRY_MS = 1500;
const MOST_RETRY_MS = 10_000;
const HURRY_MS = 250;
const LATE_MS = 8_000;
const PATIENCE_MS = 30_000;
// A fault that stays is no edit that could be saved.
const MOST_FAULTS = 4;
const MOST_CHOSEN = 200;
const WATCH_MS = 3000;

export class Delivery extends State {
  constructor(scene, state) {
    super(state);
    this.sceneId = scene.id;
    this.viewId = `view-${crypto.randomUUID()}`;
    this.confirmed = scene.document;
    this.outbox = new Outbox(globalThis.localStorage, scene.id, this.viewId);
    this.sending = null;
    this.lastGesture = null;
    this.tries = 0;
    // The gesture that is under way: while there is one, panels leave the control under the pointer as it is.
    this.gesture = null;
    this.chosen = [];
    this.shownKeys = () => [];
    this.wasHurried = false;
    this.outbox.adopt(globalThis.navigator?.locks, (left) => this.takeUp(left));
  }

  get document() {
    return this.state.document;
  }

  valueAt(pointer) {
    return valueAt(this.document, pointer);
  }

  /** Change the document. Patches of one gesture become one step of the history. */
  edit(patch, { gesture = null, before = this.chosenNow() } = {}) {
    if (!gesture || gesture !== this.lastGesture) this.chosen = [...this.chosen, before].slice(-MOST_CHOSEN);
    this.lastGesture = gesture;
    this.outbox.add(patch, gesture);
    this.set({
      document: applyPatch(this.document, patch),
      saving: true,
      problem: null,
      mine: null,
      refused: new Map(),
    });
    this.send();
    this.hurry();
  }

  /** What is chosen: a change keeps it from before, so that taking the change back chooses it again. */
  chosenNow() {
    const { selection, also, tab, open } = this.state;
    return { selection, also, tab, open };
  }

  /** Choose what was chosen before the change that was taken back, as far as it is there again. */
  chooseAgain() {
    const before = this.chosen.pop();
    if (!before) return;
    const { selection } = before;
    const isThere = !selection || this.document[selection.family]?.some((one) => one.id === selection.id);
    this.set({ ...before, selection: isThere ? selection : null });
    if (before.open && this.valueAt(before.open) === undefined) this.set({ open: null });
  }

  /** Whether there are edits that the server has not acknowledged. */
  get hasUnsaved() {
    return Boolean(this.outbox.first);
  }

  /** Take up edits that a tab of this scene left behind when it was closed or crashed. */
  async takeUp(left) {
    const ids = left.map(({ id }) => id);
    const ask = () => postJson(`/scenes/${this.sceneId}/known`, { ids });
    const { known } = await untilAnswered(ask, (problem) => this.set({ problem }), RETRY_MS);
    this.outbox.settle(left, known);
    this.showWaiting([]);
    if (this.hasUnsaved) this.set({ saving: true });
    this.send();
  }

  /**
   * Show the confirmed document with all edits that wait; those that do not fit it any more are refused.
   * @param {Map} refused what was to be written by edits that were refused already
   */
  showWaiting(refused) {
    let document = this.confirmed;
    const fitting = [];
    const lost = new Map(refused);
    for (const edit of this.outbox.edits) {
      try {
        document = applyPatch(document, edit.patch);
        fitting.push(edit);
      } catch {
        for (const { path, value } of edit.patch) lost.set(path, value);
      }
    }
    this.outbox.replace(fitting);
    this.set({ document, refused: lost });
  }

  async send() {
    if (this.sending || !this.hasUnsaved) return this.sending;
    this.outbox.isSending = true;
    this.unanswered = { since: performance.now(), isHurried: false };
    const { patch, gesture, id } = this.outbox.first;
    this.sending = this.exchange("patch", { patch, gesture, id }, patch);
    await this.sending;
    this.sending = this.unanswered = null;
    this.outbox.isSending = false;
    if (this.hasUnsaved) return this.send();
    if (this.state.saving) this.set({ saving: false });
  }

  /**
   * Let the server leave out the picture of a change that a newer one has overtaken, once it has taken long. After one
   * that was left out the next is waited for, so that something is to be seen in the middle of any drag.
   */
  hurry() {
    const { unanswered } = this;
    if (!unanswered || this.outbox.edits.length < 2 || unanswered.isHurried || this.wasHurried) return;
    unanswered.isHurried = true;
    this.hurryAfter(HURRY_MS - (performance.now() - unanswered.since), unanswered);
  }

  hurryAfter(wait, unanswered) {
    return setTimeout(() => {
      if (this.unanswered !== unanswered) return;
      this.wasHurried = true;
      postJson(`/scenes/${this.sceneId}/hurry`, { view: this.viewId }).catch(() => {});
    }, wait);
  }

  async exchange(what, body, patch) {
    const frame = this.state.frame;
    // Who waits for long wants to know that it is saved, whatever it looks like.
    const late = patch && this.hurryAfter(LATE_MS, this.unanswered);
    try {
      const packet = await postForPacket(
        `/scenes/${this.sceneId}/${what}`,
        {
          revision: this.state.revision,
          frame,
          reach: this.state.reach,
          have: this.shownKeys(),
          view: this.viewId,
          ...body,
        },
        AbortSignal.timeout(PATIENCE_MS),
      );
      this.wasHurried = !packet.buffers;
      this.tries = 0;
      if (patch) this.outbox.shift();
      const { revision, saved, canUndo, canRedo } = packet.header;
      const applied = patch ?? packet.header.patch;
      this.confirmed = applyPatch(this.confirmed, applied);
      this.state.revision = revision;
      if (!patch) this.set({ document: this.confirmed });
      this.set({ saved, canUndo, canRedo });
      // Words about an edit that was refused before this one stay.
      if (this.state.waitingSince) this.set({ problem: null, waitingSince: null });
      // The last picture stays where there is none of this state; it may also be left out for a newer change that waits.
      if (packet.header.unseen) this.set({ problem: `Saved, but not shown: ${packet.header.unseen}` });
      else if (packet.buffers) this.emit("packet", { packet, changed: applied.length > 0 });
      else if (!this.hasUnsaved) this.emit("stale");
      this.emit("confirmed");
    } catch (error) {
      if (!(error instanceof ApiError)) throw error;
      this.tries += 1;
      if (isPassing(error.status) || (error.status >= 500 && this.tries < MOST_FAULTS)) {
        await this.wait(error);
        // An edit is sent again in its turn; going back is asked for again, and what is undone already is a conflict.
        return patch ? undefined : this.exchange(what, body, null);
      }
      this.tries = 0;
      if (error.status === 409) this.meet(error.answer);
      else this.refuse(error.message, patch ?? []);
    } finally {
      clearTimeout(late);
    }
  }

  /** The server is away, busy or silent: the same request is sent again, with its id, so that it is carried out once. */
  async wait(error) {
    const message = error.status ? `${error.message} Nothing is lost; it will be tried again.` : error.message;
    this.set({ problem: message, waitingSince: this.state.waitingSince ?? new Date().toISOString() });
    await new Promise((resolve) => setTimeout(resolve, Math.min(RETRY_MS * this.tries, MOST_RETRY_MS)));
  }

  /** An edit is refused by itself; those after it stay. */
  refuse(message, patch) {
    if (patch.length) this.outbox.shift();
    this.showWaiting(patch.map(({ path, value }) => [path, value]));
    this.set({ problem: message, waitingSince: null });
  }

  /** Somebody else has changed the scene: what they left alone is carried over, the rest is told. */
  meet({ document, revision, saved, canUndo, canRedo }) {
    const before = this.confirmed;
    const carried = [];
    const lost = [];
    for (const edit of this.outbox.edits) {
      const patch = carriedOver(edit.patch, before, document);
      if (patch) carried.push({ ...edit, patch });
      else lost.push(edit.patch);
    }
    this.confirmed = document;
    this.state.revision = revision;
    this.outbox.replace(carried);
    this.showWaiting(lost.flat().map(({ path, value }) => [path, value]));
    this.set({ saved, canUndo, canRedo });
    this.emit("stale");
    if (lost.length) this.offer(lost, before);
  }

  /** Both changed the same values: theirs are shown, ours are offered. */
  offer(patches, before) {
    const mine = patches.map((patch) => carriedOver(patch, before, this.confirmed, true));
    const told = mine.flatMap((patch) =>
      (patch ?? []).map(({ path, value }) => {
        const name = plainWords(path.split("/").at(-1));
        return `${name}: theirs is ${brief(valueAt(this.document, path))}, yours ${brief(value)}`;
      }),
    );
    const words = told.length ? told.join("; ") : "what you changed is not there any more";
    this.set({
      problem: `Somebody else changed the same. ${words}.`,
      mine: mine.every(Boolean) && told.length ? mine.flat() : null,
    });
  }

  /** Write what somebody else had changed as well, after all. */
  useMine() {
    const { mine } = this.state;
    this.set({ mine: null, problem: null });
    if (mine) this.edit(mine);
  }

  /** Take over what others do to the scene meanwhile: other tabs, and who works through the API. */
  watch() {
    setInterval(() => this.isIdle && !document.hidden && this.look().catch(ignoreApi), WATCH_MS);
  }

  get isIdle() {
    return !this.sending && !this.hasUnsaved && !this.gesture;
  }

  async look() {
    const { revision } = await getJson(`/scenes/${this.sceneId}/revision`);
    if (revision !== this.state.revision && this.isIdle) await this.reload();
  }

  /** Show the scene as it is stored. */
  async reload() {
    const scene = await getJson(`/scenes/${this.sceneId}`);
    if (!this.isIdle) return;
    this.meet(scene);
    this.emit("confirmed");
  }

  async step(what, more = {}) {
    await this.send();
    if (this.sending) await this.sending;
    this.set({ saving: true, refused: new Map() });
    this.sending = this.exchange(what, more, null);
    await this.sending;
    this.sending = null;
    this.set({ saving: false });
    this.send();
  }

  async undo() {
    if (!this.state.canUndo && !this.hasUnsaved) return;
    await this.step("undo");
    this.chooseAgain();
  }

  redo() {
    if (this.state.canRedo) return this.step("redo");
  }
}

/** A value in few letters. */
function brief(value) {
  const text = typeof value === "string" ? value : (JSON.stringify(value) ?? "nothing");
  return text.length > 40 ? `${text.slice(0, 38)}…` : text;
}

/** What could not be asked now is asked again later. */
function ignoreApi(error) {
  if (!(error instanceof ApiError)) throw error;
}
