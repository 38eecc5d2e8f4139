// A loop's frames as pictures. Without a graphics card, drawing a frame takes longer than it is shown; so frames are shown
// by pictures of them, which are kept: such as the renderer makes (see glimpses.js), or, where those cannot be had, such
// as were drawn here while it played.

import * as THREE from "../../vendor/three/three.module.min.js";
import { wayBetween } from "../lib/ahead.js";
import { Glimpses } from "./glimpses.js";
import { Screen } from "./screen.js";
import { Stage } from "./stage.js";

const LIMIT_BYTES = 256 * 1024 * 1024;
// A picture that comes too late is still shown if it is so few frames late.
const MOST_LATE = 8;

export class Reel {
  /** @param {number[]} ratios how fine pictures may be, in pixels for each of the page's, the finest first */
  constructor(viewport, ratios) {
    Object.assign(this, { viewport, ratios });
    this.screen = new Screen(viewport.renderer, true, viewport.shared);
    this.stage = new Stage(viewport.shared);
    this.held = null;
    this.pictures = new Map();
    this.bytes = 0;
    this.glimpses = new Glimpses(viewport, this, ratios);
  }

  /** Whether frames are shown from here. */
  get isShowing() {
    const { store, isHeavy, isSoftware, isLooking, isLost, isRunning } = this.viewport;
    const { compared, side } = store.state;
    const isWanted = store.gesture ? isHeavy : isRunning;
    return isSoftware && !isLost && isWanted && !isLooking && (!compared || side === "now");
  }

  /** From where, and how, everything is seen; pictures of another look are forgotten. The same string means the same look. */
  lookNow() {
    const { viewport } = this;
    const { flat, reach } = viewport.store.state;
    const look = JSON.stringify([viewport.free, flat, reach, viewport.sizeAt(1)]);
    if (look !== this.look) this.clear();
    this.look = look;
    return look;
  }

  /** How many pixels wide the frame's picture is when there are so many for each of the page's. */
  frameWidth(ratio) {
    const [width] = this.viewport.sizeAt(ratio);
    return Math.max(16, Math.round(width * this.viewport.frameBox()[2]));
  }

  /** Whether so many pictures of a width can be kept. */
  fits(width, count) {
    const { background } = this.viewport.header;
    return bytesOf({ width, height: (width * background.height) / background.width }) * count <= LIMIT_BYTES;
  }

  /** The picture that is kept of a frame as it is now, or undefined. */
  pictureOf(frame) {
    this.lookNow();
    return this.keptOf(frame);
  }

  /** The same for those who have asked for the look of now. */
  keptOf(frame) {
    const kept = this.pictures.get(frame);
    return kept?.stamp === this.held.stamp ? kept.picture : undefined;
  }

  /** Draw a frame and return its picture. */
  draw(header, size) {
    const { screen, stage, viewport } = this;
    const side = { stage, header };
    screen.setSize(...size);
    stage.feed(header, viewport.buffers, viewport.aim(side, screen));
    viewport.drawPass(side, 0, screen);
    const picture = new THREE.WebGLRenderTarget(...size, {
      minFilter: THREE.LinearFilter,
      magFilter: THREE.LinearFilter,
      depthBuffer: false,
    });
    this.keep(header.frame, picture);
    screen.show(screen.picture, header, { stage, isFinishOff: viewport.store.state.flat, target: picture });
    viewport.renderer.setRenderTarget(null);
    return picture;
  }

  /** Take a picture that has come of a frame, which is shown at once if it is late, or anything near is wanted. */
  take(frame, bitmap) {
    this.keep(frame, pictureFrom(bitmap));
    if (this.isShowing && this.isWanted(frame)) this.viewport.showPicture(this.pictureOf(frame));
  }

  /** Show a picture of a frame as it was a moment ago, while a value goes on moving; it is not kept. */
  pass(frame, bitmap) {
    const { store } = this.viewport;
    if (!store.gesture || !this.isShowing || frame !== store.state.frame) return bitmap.close();
    const picture = pictureFrom(bitmap);
    this.viewport.showPicture(picture);
    picture.dispose();
  }

  /** Whether a picture that has come is what is to be seen now. */
  isWanted(frame) {
    const { store } = this.viewport;
    const { frame: shown, scrubbing } = store.state;
    if (frame === shown) return true;
    if (this.pictureOf(shown)) return false;
    const late = wayBetween(frame, shown, store.stretch);
    return scrubbing || (late > 0 && late <= MOST_LATE);
  }

  /** Keep a picture; those kept longest make way for it. */
  keep(frame, picture) {
    this.drop(frame);
    this.pictures.set(frame, { stamp: this.held?.stamp, picture });
    this.bytes += bytesOf(picture);
    for (const old of [...this.pictures.keys()].slice(0, -1)) if (this.bytes > LIMIT_BYTES) this.drop(old);
  }

  drop(frame) {
    const kept = this.pictures.get(frame);
    if (!kept) return;
    this.bytes -= bytesOf(kept.picture);
    kept.picture.dispose();
    this.pictures.delete(frame);
  }

  clear() {
    for (const frame of [...this.pictures.keys()]) this.drop(frame);
  }
}

function pictureFrom(bitmap) {
  const texture = new THREE.Texture(bitmap);
  Object.assign(texture, {
    flipY: false,
    generateMipmaps: false,
    minFilter: THREE.LinearFilter,
    magFilter: THREE.LinearFilter,
    needsUpdate: true,
    onUpdate: () => bitmap.close(),
  });
  const { width, height } = bitmap;
  const dispose = () => (texture.dispose(), bitmap.close());
  return { texture, width, height, isFrame: true, dispose };
}

function bytesOf({ width, height }) {
  return width * height * 4;
}
