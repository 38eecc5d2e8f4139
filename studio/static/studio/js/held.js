// The frames of one state of the scene that the page holds: fetched as they are missing, from the playhead onwards.

import { ApiError, isPassing, postForStream } from "./api.js";
import { wrapped } from "./lib/numbers.js";
import { readPacket } from "./lib/packet.js";

const FILL_DELAY_MS = 200;
const RETRY_MS = 2000;
const LIMIT_BYTES = 700 * 1024 * 1024;
const MOST_FRAMES = 2000;

/** The arrays of all frames that are held, each once however many frames use it. */
export class Pool {
  constructor(store) {
    this.store = store;
    this.buffers = new Map();
    this.bytes = 0;
    this.users = new Set();
  }

  take(buffers) {
    for (const [key, array] of buffers) {
      if (!this.buffers.has(key)) this.bytes += array.byteLength;
      this.buffers.set(key, array);
    }
    if (this.bytes > LIMIT_BYTES) this.trim();
  }

  /** Drop the arrays that no held frame uses, oldest first; if that is not enough, the frames furthest from the playhead. */
  trim() {
    const uses = new Map();
    for (const held of this.users)
      for (const header of held.headers.values())
        for (const key of keysOf(header)) uses.set(key, (uses.get(key) ?? 0) + 1);
    for (const key of [...this.buffers.keys()]) {
      if (this.bytes < LIMIT_BYTES * 0.8) return;
      if (!uses.has(key)) this.drop(key);
    }
    // What plays last of all goes first.
    const far = [...this.users]
      .flatMap((held) => [...held.headers.keys()].map((at) => ({ held, at })))
      .sort((a, b) => this.wait(b.at) - this.wait(a.at));
    while (this.bytes > LIMIT_BYTES && far.length > 1) {
      const { held, at } = far.shift();
      for (const key of keysOf(held.headers.get(at))) {
        uses.set(key, uses.get(key) - 1);
        if (!uses.get(key)) this.drop(key);
      }
      held.headers.delete(at);
      held.hasNoRoom();
    }
  }

  /** How many frames play before one, from the playhead on. */
  wait(at) {
    return wrapped(at - Math.floor(this.store.state.frame), this.store.clock.frames);
  }

  drop(key) {
    this.bytes -= this.buffers.get(key)?.byteLength ?? 0;
    this.buffers.delete(key);
  }
}

export class Held {
  /** @param {number|null} state the state of the scene's history that is wanted, null for the scene as it is */
  constructor(store, pool, state, onFrame) {
    Object.assign(this, { store, pool, state, onFrame });
    this.headers = new Map();
    this.room = Infinity; // so many frames can be held
    this.fetching = null;
    this.isBehind = false; // whether the playhead has left the place from where on is fetched
    this.stamp = {}; // another one once the frames are others
    pool.users.add(this);
  }

  take({ header, buffers }) {
    this.headers.set(header.frame, header);
    this.pool.take(buffers);
    this.onFrame(header.frame);
    if (!this.isBehind) return;
    this.isBehind = false;
    if (!this.headers.has(this.store.state.frame)) this.fillSoon(0);
  }

  forget() {
    this.pause();
    this.headers.clear();
    this.room = Infinity;
    this.isBehind = false;
    this.stamp = {};
  }

  /** There is no room for more frames than these: no others are fetched beyond. */
  hasNoRoom() {
    // What was asked for before may be more than there is room for; from now on it is not.
    if (this.room === Infinity) this.pause();
    this.room = Math.max(1, Math.min(this.room, this.headers.size));
  }

  /** Ask for nothing more until it is filled again. */
  pause() {
    clearTimeout(this.timer);
    this.fetching?.abort();
    this.fetching = null;
  }

  /** Whether all is held that can be. */
  get isFilled() {
    return this.headers.size >= Math.min(this.room, this.store.clock.frames);
  }

  /** Nothing of it is wanted any more. */
  end() {
    this.forget();
    this.pool.users.delete(this);
  }

  fillSoon(delay = FILL_DELAY_MS) {
    clearTimeout(this.timer);
    this.timer = setTimeout(() => this.fill(), delay);
  }

  /**
   * Fetch from the playhead onwards, now or, while it is scrubbed, once a frame has come of what is asked for already:
   * a playhead that is never still would else break off all that is begun.
   */
  follow() {
    if (this.fetching && this.store.state.scrubbing) this.isBehind = true;
    else this.fillSoon(0);
  }

  /** Fetch what is missing, if that is not done already from the playhead on. */
  fillOn() {
    if (!this.fetching || !this.headers.has(this.store.state.frame)) this.fillSoon(0);
  }

  /** Fetch what is missing, the shown frame first and then onwards in playing order. */
  async fill() {
    const { store } = this;
    const { frames } = store.clock;
    const missing = [];
    // While a value moves, what is not played is about to be another.
    const count = store.gesture && !store.state.playing ? 1 : Math.min(frames, this.room);
    for (let k = 0; k < count; k += 1) {
      const frame = (store.state.frame + k) % frames;
      if (!this.headers.has(frame)) missing.push(frame);
    }
    if (!missing.length || (this.state === null && store.sending)) return;
    this.fetching?.abort();
    const mine = (this.fetching = new AbortController());
    const { revision } = store.state;
    const isStale = () => mine.signal.aborted || (this.state === null && revision !== store.state.revision);
    try {
      await postForStream(
        `/scenes/${store.sceneId}/frames`,
        {
          state: this.state,
          frames: missing.slice(0, MOST_FRAMES),
          reach: store.state.reach,
          have: store.heldKeys(),
          view: `${store.viewId}-fill-${this.state ?? ""}`,
        },
        mine.signal,
        (bytes) => isStale() || this.take(readPacket(bytes)),
        (problem) => store.set({ problem }),
      );
    } catch (error) {
      // A stream that breaks off is a TypeError of the browser's.
      const isBroken = error instanceof TypeError || (error instanceof ApiError && isPassing(error.status));
      if (isBroken) this.fillSoon(RETRY_MS);
      else if (error.name !== "AbortError" && !(error instanceof ApiError)) throw error;
      // The scene itself is asked for again after the next edit; a state that cannot be shown has to be told of.
      if (error instanceof ApiError && !isBroken && this.state !== null) store.set({ problem: error.message });
    }
    if (this.fetching === mine) this.fetching = null;
  }
}

/** The keys of all arrays that a frame is drawn with. */
export function keysOf(header) {
  const shapes = [...header.drawables, ...Object.values(header.masks).flat()];
  return new Set(
    [
      ...header.lights.map((light) => light.panorama?.texels),
      ...shapes.flatMap((one) => [
        one.points,
        one.matrices,
        one.triangles,
        one.edges,
        one.reach,
        ...one.looks.flatMap((look) => [
          look.tints,
          look.pointTints,
          look.widths,
          look.pointWidths,
          look.texture?.texels,
          look.texture?.uvs,
        ]),
      ]),
    ].filter(Boolean),
  );
}
