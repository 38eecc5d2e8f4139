// What is being computed while the page waits for a picture: in words over the view, and on the dial.

import { ApiError, getJson } from "../api.js";

const PATIENCE_MS = 400;
const ASK_MS = 250;

/** Words for how far a simulation has come. */
export function progressWords({ figure, kind, done, of, settles }) {
  return `${figure}: ${kind} ${settles ? "settling" : "moving on"}, ${done} of ${of}`;
}

export class Progress {
  constructor(store, element) {
    Object.assign(this, { store, element });
    store.on("document held frame saving", () => this.watch());
    store.on("progress", () => this.show());
    this.watch();
  }

  /** Whether the shown frame is not there yet, in a scene with something that has a past. */
  get isWaiting() {
    const { document, held, frame, saving } = this.store.state;
    const { steps } = this.store.kinds;
    const hasPast = document.figures.some(({ routine = [] }) =>
      routine.some((step) => step.on !== false && steps[step.kind]?.simulates),
    );
    return hasPast && (saving || !held.has(frame));
  }

  watch() {
    if (!this.isWaiting) {
      clearTimeout(this.timer);
      this.timer = null;
      if (this.store.state.progress) this.store.set({ progress: null });
    } else this.timer ??= setTimeout(() => this.ask(), PATIENCE_MS);
  }

  async ask() {
    const mine = this.timer;
    let progress = null;
    try {
      ({ progress } = await getJson(`/scenes/${this.store.sceneId}/progress`));
    } catch (error) {
      if (!(error instanceof ApiError)) throw error;
    }
    if (this.timer !== mine) return;
    this.store.set({ progress });
    this.timer = setTimeout(() => this.ask(), ASK_MS);
  }

  show() {
    const { progress } = this.store.state;
    this.element.hidden = !progress;
    if (progress) this.element.textContent = progressWords(progress);
  }
}
