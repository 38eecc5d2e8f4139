// A loop's frames as pictures. Without a graphics card, drawing a frame takes longer than it is shown: what was drawn once
// is kept and plays from there, and while nothing else is done the frames that will play are drawn before.

import * as THREE from "../../vendor/three/three.module.min.js";
import { isAlike } from "../lib/lists.js";
import { drawn } from "./fence.js";
import { Screen } from "./screen.js";
import { Stage } from "./stage.js";

const LIMIT_BYTES = 256 * 1024 * 1024;
const IDLE_MS = 1500;

export class Reel {
  /** @param {number[]} ratios how fine pictures may be, in pixels for each of the page's, the finest first */
  constructor(viewport, ratios) {
    Object.assign(this, { viewport, ratios });
    this.screen = new Screen(viewport.renderer, true, viewport.shared);
    this.stage = new Stage(viewport.shared);
    this.headers = new Map();
    this.pictures = new Map();
    this.bytes = 0;
    this.look = [];
    this.busyUntil = 0;
    for (const name of ["pointermove", "pointerdown", "wheel", "keydown"]) {
      document.addEventListener(name, () => (this.busyUntil = performance.now() + IDLE_MS), {
        capture: true,
        passive: true,
      });
    }
    document.addEventListener("visibilitychange", () => this.drawSoon());
  }

  /** Whether frames are shown from here. */
  get isShowing() {
    const { store, isSoftware, isLooking } = this.viewport;
    const { playing, compared, side } = store.state;
    return isSoftware && playing && !store.gesture && !isLooking && (!compared || side === "now");
  }

  /** The sizes in which pictures are kept, the finest first; those of another view are forgotten. */
  get sizes() {
    const sizes = this.ratios.map((ratio) => this.viewport.sizeAt(ratio));
    const look = [this.viewport.free, this.viewport.store.state.flat, ...sizes[0]];
    if (!isAlike(look, this.look)) this.clear();
    this.look = look;
    return sizes;
  }

  /** The picture that is kept of a frame, or undefined; a frame that was computed anew has another header. */
  pictureOf(header) {
    const kept = this.pictures.get(header.frame);
    return kept?.header === header ? kept.picture : undefined;
  }

  /** Draw a frame and return its picture; those kept longest make way for it. */
  keep(header, size) {
    const { screen, stage, viewport } = this;
    const side = { stage, header };
    screen.setSize(...size);
    stage.feed(header, viewport.buffers, viewport.aim(side, screen));
    viewport.drawPass(side, 0, screen);
    const picture = this.place(header, size);
    screen.show(screen.picture, header, { stage, isFinishOff: viewport.store.state.flat, target: picture });
    viewport.renderer.setRenderTarget(null);
    return picture;
  }

  place(header, [width, height]) {
    this.drop(header.frame);
    const picture = new THREE.WebGLRenderTarget(width, height, {
      minFilter: THREE.LinearFilter,
      magFilter: THREE.LinearFilter,
      depthBuffer: false,
    });
    this.pictures.set(header.frame, { header, picture });
    this.bytes += bytesOf([width, height]);
    for (const frame of [...this.pictures.keys()].slice(0, -1)) if (this.bytes > LIMIT_BYTES) this.drop(frame);
    return picture;
  }

  drop(frame) {
    const kept = this.pictures.get(frame);
    if (!kept) return;
    this.bytes -= bytesOf([kept.picture.width, kept.picture.height]);
    kept.picture.dispose();
    this.pictures.delete(frame);
  }

  clear() {
    for (const frame of [...this.pictures.keys()]) this.drop(frame);
  }

  /** Begin to draw what will play once nothing was done for a while. */
  drawSoon(delay = IDLE_MS) {
    clearTimeout(this.timer);
    if (this.viewport.isSoftware) this.timer = setTimeout(() => this.drawNext(), delay);
  }

  /** Draw one more of the frames that will play, then wait for as long as it took. */
  async drawNext() {
    const began = performance.now();
    const { header: shown, isAtRest, store } = this.viewport;
    if (began < this.busyUntil) return this.drawSoon(this.busyUntil - began);
    if (!shown || !isAtRest || store.state.compared || document.hidden) return;
    const [first, end] = store.stretch;
    const { sizes } = this;
    const size = sizes.find((one) => bytesOf(one) * (end - first) <= LIMIT_BYTES) ?? sizes.at(-1);
    const header = this.missing(first, end, store.state.frame, size);
    if (!header) return;
    this.keep(header, size);
    await drawn(this.viewport.renderer.getContext());
    this.drawSoon(performance.now() - began);
  }

  /** The next held frame from the shown one onwards of which no picture of that size is kept, or undefined. */
  missing(first, end, shown, [width]) {
    for (let k = 0; k < end - first; k += 1) {
      const header = this.headers.get(first + ((Math.max(0, shown - first) + k) % (end - first)));
      if (header && !(this.pictureOf(header)?.width >= width)) return header;
    }
    return undefined;
  }
}

function bytesOf([width, height]) {
  return width * height * 4;
}
