// Frames held by the page: fetches those that are missing, plays from those that are there.

import { ApiError, postForStream } from "./api.js";
import { readPacket } from "./lib/packet.js";

const FILL_DELAY_MS = 200;
const LIMIT_BYTES = 700 * 1024 * 1024;

export class Playback {
  constructor(store, viewport) {
    this.store = store;
    this.viewport = viewport;
    this.headers = new Map();
    this.buffers = new Map();
    this.bytes = 0;
    this.fetching = null;
    store.haveKeys = () => [...this.buffers.keys()].slice(-3000);
    store.on("packet", ({ packet, changed }) => {
      if (changed) this.forget();
      this.hold(packet);
      this.show();
      this.fillSoon();
    });
    store.on("stale reach", () => {
      this.forget();
      this.fillSoon(0);
    });
    store.on("frame", () => {
      if (!this.show()) this.fillSoon(0);
    });
    store.on("playing", ({ playing }) => playing && this.start());
    this.fillSoon(0);
  }

  hold({ header, buffers }) {
    for (const [key, array] of buffers) {
      if (!this.buffers.has(key)) this.bytes += array.byteLength;
      this.buffers.set(key, array);
    }
    this.headers.set(header.frame, header);
    this.trim();
    this.publish();
  }

  /** Drop the buffers that no held frame uses, oldest first, once there are too many bytes. */
  trim() {
    if (this.bytes < LIMIT_BYTES) return;
    const used = new Set();
    for (const header of this.headers.values()) for (const key of keysOf(header)) used.add(key);
    for (const [key, array] of this.buffers) {
      if (this.bytes < LIMIT_BYTES * 0.8) break;
      if (used.has(key)) continue;
      this.bytes -= array.byteLength;
      this.buffers.delete(key);
    }
    // All of it is in use: the frames furthest from the playhead go.
    const far = [...this.headers.keys()].sort((a, b) => Math.abs(b - this.store.state.frame) - Math.abs(a - this.store.state.frame));
    while (this.bytes > LIMIT_BYTES && far.length > 1) {
      const header = this.headers.get(far[0]);
      this.headers.delete(far.shift());
      for (const key of keysOf(header)) {
        if ([...this.headers.values()].some((other) => keysOf(other).includes(key))) continue;
        this.bytes -= this.buffers.get(key)?.byteLength ?? 0;
        this.buffers.delete(key);
      }
      this.full = true;
    }
  }

  publish() {
    if (this.publishing) return;
    this.publishing = requestAnimationFrame(() => {
      this.publishing = null;
      this.store.set({ held: new Set(this.headers.keys()) });
    });
  }

  forget() {
    this.headers.clear();
    this.full = false;
    this.fetching?.abort();
    this.publish();
  }

  /** Draw the shown frame if it is held. */
  show() {
    const header = this.headers.get(this.store.state.frame);
    if (!header) return false;
    this.viewport.draw(header, this.buffers);
    return true;
  }

  fillSoon(delay = FILL_DELAY_MS) {
    clearTimeout(this.timer);
    this.timer = setTimeout(() => this.fill(), delay);
  }

  /** Fetch what is missing, the shown frame first and then onwards in playing order. */
  async fill() {
    const { frames } = this.store.clock;
    const start = this.store.state.frame;
    const missing = [];
    for (let k = 0; k < frames; k += 1) {
      const frame = (start + k) % frames;
      if (!this.headers.has(frame)) missing.push(frame);
    }
    if (!missing.length || this.full || this.store.sending) return;
    this.fetching?.abort();
    const mine = (this.fetching = new AbortController());
    const revision = this.store.state.revision;
    try {
      await postForStream(
        `/scenes/${this.store.sceneId}/frames`,
        { frames: missing.slice(0, 2000), reach: this.store.state.reach, have: this.store.haveKeys(), view: `${this.store.viewId}-fill` },
        mine.signal,
        (bytes) => {
          if (revision !== this.store.state.revision || mine.signal.aborted) return;
          const packet = readPacket(bytes);
          this.hold(packet);
          if (packet.header.frame === this.store.state.frame) this.show();
        },
        (problem) => this.store.set({ problem }),
      );
    } catch (error) {
      if (error.name !== "AbortError" && !(error instanceof ApiError)) throw error;
    }
    if (this.fetching === mine) this.fetching = null;
  }

  /** Play in real time; where a frame is missing, wait for it. */
  start() {
    const { store } = this;
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
      if (frame < first || frame >= end) frame = first + ((((frame - first) % (end - first)) + end - first) % (end - first));
      if (frame !== store.state.frame) {
        if (this.headers.has(frame)) {
          this.shown += 1;
          store.seek(frame);
        } else {
          from = store.state.frame;
          began = now;
          if (!this.fetching) this.fillSoon(0);
        }
      }
      requestAnimationFrame(tick);
    };
    requestAnimationFrame(tick);
  }
}

function keysOf(header) {
  return header.drawables.flatMap((one) => [one.points, one.matrices, one.triangles, one.edges, one.reach, ...one.looks.flatMap((look) => [look.tints, look.pointTints, look.texture?.texels, look.texture?.uvs])].filter(Boolean));
}
