// What the page holds of the scene's frames, as it is and as it was, and playing it.

import { Held, keysOf, Pool } from "./held.js";
import { lastThere } from "./lib/ahead.js";
import { wrapped } from "./lib/numbers.js";

const MOST_KEYS = 3000;

export class Playback {
  constructor(store, viewport) {
    this.store = store;
    this.viewport = viewport;
    this.pool = new Pool(store);
    this.now = new Held(store, this.pool, null, (frame) => this.took(frame));
    this.then = null;
    // A change of one frame shares arrays with what is shown of it; the other frames are asked for with all that is held.
    store.shownKeys = () => {
      const header = this.headers.get(store.state.frame);
      return header ? [...keysOf(header)].filter((key) => this.buffers.has(key)) : [];
    };
    store.heldKeys = () => [...this.buffers.keys()].slice(-MOST_KEYS);
    store.on("packet", ({ packet, changed }) => {
      if (changed) this.forget();
      this.now.take(packet);
      this.now.fillSoon();
    });
    store.on("stale", () => {
      this.forget();
      this.now.fillSoon(0);
    });
    store.on("reach", () => {
      this.forget();
      this.then?.forget();
      this.fillNow();
    });
    store.on("compared", () => this.compare());
    store.on("frame side", () => this.show() || this.playsPictures || this.wanted.forEach((held) => held.follow()));
    store.on("scrubbing playing", ({ scrubbing, playing }) => {
      if (this.playsPictures) for (const held of this.wanted) held.pause();
      else if (!scrubbing && !playing) for (const held of this.wanted) held.fillOn();
    });
    store.on("gesture-end", () => this.wanted.forEach((held) => held.fillSoon()));
    store.on("playing", ({ playing }) => playing && this.start());
    this.now.fillSoon(0);
  }

  get headers() {
    return this.now.headers;
  }

  get buffers() {
    return this.pool.buffers;
  }

  /** What has to be there before a frame can be shown. */
  get wanted() {
    const { side } = this.store.state;
    return this.then && side !== "now" ? [this.now, this.then] : [this.now];
  }

  took(frame) {
    this.settled = this.headers.get(frame)?.settled ?? null;
    this.publish();
    this.viewport.took(frame);
    const { frame: shown, scrubbing } = this.store.state;
    if (frame === shown) this.show();
    // Better one that is near than none: where the playhead stops, its own comes.
    else if (scrubbing && !this.isHeld(shown)) this.show(frame);
  }

  publish() {
    if (this.publishing) return;
    this.publishing = requestAnimationFrame(() => {
      this.publishing = null;
      this.store.set({ held: new Set(this.headers.keys()), settled: this.settled });
    });
  }

  forget() {
    this.now.forget();
    this.publish();
  }

  /** Whether it plays and needs no frames for that, only pictures of them: these are had sooner without the others. */
  get playsPictures() {
    return this.store.state.playing && this.viewport.playsPictures;
  }

  fillNow() {
    for (const held of this.wanted) held.fillSoon(0);
  }

  /** Hold the frames of the state that is compared with, beside those of the scene as it is. */
  compare() {
    const { compared } = this.store.state;
    if ((this.then?.state ?? null) === (compared?.id ?? null)) return;
    this.then?.end();
    this.then = compared ? new Held(this.store, this.pool, compared.id, (frame) => this.took(frame)) : null;
    if (!this.show()) this.fillNow();
  }

  isHeld(frame) {
    return this.wanted.every((held) => held.headers.has(frame));
  }

  /** Draw a frame if all of it is held, or show a picture that is kept of it. */
  show(frame = this.store.state.frame) {
    if (!this.isHeld(frame)) return this.viewport.flash(frame);
    this.viewport.draw(this.headers.get(frame), this.buffers, this.then?.headers.get(frame));
    return true;
  }

  /** Whether a frame can be shown now: drawn, or by a picture that is kept of it. */
  isThere(frame) {
    return this.isHeld(frame) || this.viewport.hasPicture(frame);
  }

  /** Play in real time. Where a frame is missing, the clock waits for it; what cannot all be there in time is left out. */
  start() {
    const { store } = this;
    // What plays once begins again where it has ended.
    if (!store.clock.loops && !store.state.work && store.state.frame >= store.clock.frames - 1) store.seek(0);
    let from = store.state.frame;
    let began = null;
    this.shown = 0;
    // Stopped and started again before the screen refreshed, the earlier run must not go on beside this one.
    const run = (this.run = {});
    const tick = (now) => {
      if (!store.state.playing || this.run !== run) return;
      const { fps, frames, loops } = store.clock;
      began ??= now;
      const [first, end] = store.stretch;
      let frame = Math.floor(from + ((now - began) / 1000) * fps);
      if (!loops && !store.state.work && frame >= frames) {
        store.set({ playing: false });
        store.seek(frames - 1);
        return;
      }
      if (frame < first || frame >= end) frame = first + wrapped(frame - first, end - first);
      if (frame !== store.state.frame) {
        const left = this.viewport.leavesOut;
        const { found, isLate } = lastThere(store.state.frame, frame, store.stretch, left, (at) => this.isThere(at));
        if (found !== null) {
          this.shown += 1;
          store.seek(found);
        }
        if (found !== frame) {
          if (!this.playsPictures) for (const held of this.wanted) if (!held.fetching) held.fillSoon(0);
          // Its picture may be there sooner.
          this.viewport.wantPicture();
        }
        if (isLate) {
          from = store.state.frame;
          began = now;
        }
      }
      requestAnimationFrame(tick);
    };
    requestAnimationFrame(tick);
  }
}
