// Pictures of frames as the renderer makes them quickly. Without a graphics card they are there sooner than the page could
// draw them, and much is in them that it would leave out; so what plays or is scrubbed is shown by them.

import { ApiError, postForStream } from "../api.js";
import { framesAhead, reachable, wayBetween } from "../lib/ahead.js";
import { lookOf } from "./view.js";

// So many are asked for at once: while it is scrubbed, while it plays, and while nothing is done.
const AT_ONCE = { scrubbed: 4, played: 8, idle: 4 };
// And while it is not known yet how long they take.
const FEW = 2;
// A playhead that went farther than this since the last time jumped.
const FAR = 12;
// A picture that takes longer is asked for smaller while something moves, one that takes less, larger.
const SLOW_MS = 36;
const QUICK_MS = 18;
// So many times as long, and it is asked for much smaller.
const MUCH = 2;
const RETRY_MS = 4000;
// A frame that is held later than this after the last one was not soon computed.
const HEAVY_MS = 80;
// While nothing is done, for a while.
const IDLE_MS = 1500;
// For so long after each request then, as a share of the time that it took.
const LEFT_ALONE = 0.3;
// How much the last picture says of how long the next one takes.
const NEWS = 0.3;

export class Glimpses {
  /**
   * @param {Reel} reel that keeps them
   * @param {number[]} ratios how fine they may be, in pixels for each of the page's, the finest first
   */
  constructor(viewport, reel, ratios) {
    Object.assign(this, { viewport, reel, ratios });
    this.store = viewport.store;
    this.level = 2;
    // Whether the size fits how long they take.
    this.isKnown = false;
    this.took = SLOW_MS;
    this.busyUntil = 0;
    this.failedAt = -Infinity;
    for (const name of ["pointermove", "pointerdown", "wheel", "keydown"]) {
      document.addEventListener(name, () => (this.busyUntil = performance.now() + IDLE_MS), {
        capture: true,
        passive: true,
      });
    }
    document.addEventListener("visibilitychange", () => this.fetchSoon());
  }

  /** Whether they can be had: the renderer knows nothing of the reach of a field, and may be away. */
  get areThere() {
    return !this.store.state.reach && performance.now() - this.failedAt > RETRY_MS;
  }

  /** Begin to fetch what will play once nothing was done for a while. */
  fetchSoon(delay = IDLE_MS) {
    // What is waited for is asked for at once, and not put off by what else happens.
    if (delay && this.isPressed) return;
    clearTimeout(this.timer);
    if (this.viewport.isSoftware) this.timer = setTimeout(() => this.fetch(), delay);
  }

  /** How wide they are wanted now, in their own pixels. */
  get width() {
    const { reel, store } = this;
    const [first, end] = store.stretch;
    const widths = this.ratios.map((ratio) => reel.frameWidth(ratio));
    const fits = widths.find((width) => reel.fits(width, end - first)) ?? widths.at(-1);
    return this.isPressed ? Math.min(fits, widths[this.level]) : fits;
  }

  /** Whether somebody waits for what moves. */
  get isPressed() {
    return this.viewport.isRunning || this.reel.isShowing;
  }

  /** Of how many frames that play one can be had in time. */
  get each() {
    return reachable(this.took, this.store.clock.fps);
  }

  /** The frames whose pictures are asked for next. */
  wanted(width) {
    const { reel, store } = this;
    const { scrubbing, playing, frame } = store.state;
    // Where one scrubs to is told by how far one came since the last time.
    const way = wayBetween(this.from ?? frame, frame, store.stretch);
    this.from = frame;
    const each = playing ? this.each : scrubbing && way && Math.abs(way) <= FAR ? way : 1;
    const most = scrubbing ? AT_ONCE.scrubbed : playing ? AT_ONCE.played : AT_ONCE.idle;
    const count = scrubbing && !this.isKnown ? FEW : most;
    const found = [];
    reel.lookNow();
    // While a value moves, the others are about to be others.
    for (const at of store.gesture ? [frame] : framesAhead(frame, store.stretch, each)) {
      const kept = reel.keptOf(at);
      // While it runs, any picture will do.
      if (!kept || (!this.isPressed && kept.width < width)) found.push(at);
      if (found.length === count) break;
    }
    return found;
  }

  async fetch() {
    clearTimeout(this.timer);
    const { store, viewport } = this;
    const began = performance.now();
    if (this.isFetching || !this.areThere || !viewport.header) return;
    if (!this.isPressed) {
      if (began < this.busyUntil) return this.fetchSoon(this.busyUntil - began);
      if (!viewport.isAtRest || store.state.compared || document.hidden) return;
    }
    const { width } = this;
    const frames = this.wanted(width);
    if (!frames.length) return;
    await this.ask(frames, width);
    // While nothing is done, the machine is left alone now and then.
    this.fetchSoon(this.isPressed ? 0 : (performance.now() - began) * LEFT_ALONE);
  }

  /** A frame has come to be held: of one that was long in coming a picture is had at once, before it is forgotten there. */
  along(frame) {
    const now = performance.now();
    const took = now - (this.heldAt ?? now);
    this.heldAt = now;
    const { store, viewport } = this;
    const { compared } = store.state;
    if (took < HEAVY_MS || !viewport.isSoftware || !viewport.header || store.gesture || compared || document.hidden)
      return;
    if (!this.isFetching && this.areThere && !this.reel.pictureOf(frame)) this.ask([frame], this.width);
  }

  async ask(frames, width) {
    this.isFetching = true;
    try {
      await this.take(frames, width);
    } catch (error) {
      if (!(error instanceof ApiError || error instanceof TypeError)) throw error;
      this.failedAt = performance.now();
    } finally {
      this.isFetching = false;
    }
  }

  /** Ask for pictures of some frames, and keep them if the frames are still what they were. */
  async take(frames, width) {
    const { reel, store, viewport } = this;
    const { free } = viewport;
    const asked = {
      frames,
      width,
      look: free && lookOf(free),
      flat: store.state.flat,
      view: `${store.viewId}-reel`,
    };
    const look = reel.lookNow();
    const { stamp } = reel.held;
    const waiting = [...frames];
    const reading = [];
    let last = performance.now();
    const took = async (bytes) => {
      const now = performance.now();
      this.keepTime(now - last);
      last = now;
      const frame = waiting.shift();
      const bitmap = await createImageBitmap(new Blob([bytes]), {
        imageOrientation: "flipY",
        premultiplyAlpha: "none",
      });
      if (reel.lookNow() !== look) bitmap.close();
      else if (reel.held.stamp === stamp) reel.take(frame, bitmap);
      else reel.pass(frame, bitmap);
    };
    await postForStream(
      `/scenes/${store.sceneId}/reel`,
      asked,
      undefined,
      (bytes) => reading.push(took(bytes)),
      () => {
        this.failedAt = performance.now();
      },
    );
    await Promise.all(reading);
  }

  /** Choose the size of the next ones by how long this one took. */
  keepTime(took) {
    this.took += NEWS * (took - this.took);
    if (!this.isPressed) return;
    const by = this.took > SLOW_MS * MUCH ? 2 : this.took > SLOW_MS ? 1 : this.took < QUICK_MS ? -1 : 0;
    const level = Math.min(Math.max(this.level + by, 0), this.ratios.length - 1);
    this.isKnown = level === this.level;
    if (this.isKnown) return;
    this.level = level;
    // What it takes at the new size is not known yet.
    this.took = (SLOW_MS + QUICK_MS) / 2;
  }
}
