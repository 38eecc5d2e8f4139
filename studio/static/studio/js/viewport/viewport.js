// Draws frame packets with WebGL: the scene in linear light, then a cheap glow and the same view transform as the render.

import { minus, plus, scaled } from "../lib/vectors.js";
import * as THREE from "../../vendor/three/three.module.min.js";
import { drawn } from "./fence.js";
import { nearWords } from "./near.js";
import { Ghosts } from "./ghosts.js";
import { closer, framing, lookAround, slide } from "./orbit.js";
import { Reel } from "./reel.js";
import { Screen } from "./screen.js";
import { takePlace } from "./take-place.js";
import { depthOf } from "./shaders.js";
import { Shadows } from "./shadows.js";
import { Stage, sharedUniforms } from "./stage.js";

const CLICK_PX = 4;
const OUTLINE_MS = 1200;
const FEW_COPIES = 12;
const FINE_POINTS = 2000;
// Without a graphics card the view is drawn coarser while it moves, and finely again once it rests.
const SOFTWARE_RATIO = 0.9;
const MOVING_RATIOS = [0.6, 0.5, 0.42, 0.34, 0.27, 0.21];
const SLOW_MS = 30;
const QUICK_MS = 12;
const REST_MS = 260;
// Shadows of many lights take long without a graphics card, so they wait until one surely only looks.
const SHADOWS_REST_MS = 1200;
// At rest the picture becomes the mean of so many, each moved by a part of a pixel and with other thresholds of opacity.
// Each row and column of an eight by eight grid is taken once; the one nearest to the middle comes first.
const PASSES = [
  [3, 4],
  [6, 2],
  [1, 6],
  [4, 1],
  [7, 7],
  [0, 0],
  [5, 5],
  [2, 3],
].map((place) => place.map((step) => (step + 0.5) / 8 - 0.5));
const FINE_PASSES = PASSES.length;

export class Viewport {
  constructor(store, canvas) {
    this.store = store;
    this.canvas = canvas;
    this.renderer = new THREE.WebGLRenderer({
      canvas,
      antialias: false,
      alpha: false,
      powerPreference: "high-performance",
    });
    this.renderer.autoClear = false;
    this.renderer.setClearColor(0x000000, 0);
    this.renderer.outputColorSpace = THREE.LinearSRGBColorSpace;
    const gl = this.renderer.getContext();
    const info = gl.getExtension("WEBGL_debug_renderer_info");
    this.isSoftware = /swiftshader|llvmpipe|software/i.test(info ? gl.getParameter(info.UNMASKED_RENDERER_WEBGL) : "");
    this.shared = sharedUniforms();
    this.screen = new Screen(this.renderer, this.isSoftware, this.shared);
    this.coarseness = 2;
    this.shadows = new Shadows(this.renderer, this.shared);
    this.now = new Stage(this.shared);
    this.then = new Stage(this.shared);
    this.ghosts = new Ghosts(this.shared);
    this.reel = new Reel(this, MOVING_RATIOS);
    this.free = null;
    this.near = document.getElementById("near");
    new ResizeObserver(() => this.resize()).observe(canvas.parentElement);
    this.resize();
    this.listen();
    store.on("flat side wipe compared", () => this.redraw());
    store.on("playing gesture-end", () => this.refine());
    store.on("selection also onion", () => this.outline());
    store.on("picking", () => this.canvas.classList.toggle("picking", Boolean(store.state.picking)));
    store.on("held work", () => this.reel.drawSoon());
    store.on("held", () => this.isAtRest && this.ghosts.isStale(store) && this.redraw());
  }

  /** Outline the selection: for a moment where it is many copies or lines, else as long as it is selected. */
  outline() {
    clearTimeout(this.outlineTimer);
    this.outlined = true;
    this.outlineTimer = setTimeout(() => {
      this.outlined = false;
      if (this.store.state.selection?.family === "figures") this.redraw();
    }, OUTLINE_MS);
    this.redraw();
  }

  get isMoving() {
    return this.isSoftware && (this.store.state.playing || Boolean(this.store.gesture) || this.isLooking);
  }

  /** At rest the picture becomes finer, and shows what is selected and what the frames around hold. */
  get isAtRest() {
    return !this.isMoving && !this.store.state.playing && !this.store.gesture;
  }

  get width() {
    return this.screen.width;
  }

  get height() {
    return this.screen.height;
  }

  /** Where the picture's frame lies within the canvas: x, y, width, height in 0..1, from the foot. */
  frameBox() {
    return this.screen.frameBox(this.header);
  }

  resize() {
    this.fitSize();
    this.redraw();
  }

  fitSize() {
    const ratio = this.isSoftware
      ? this.isMoving
        ? MOVING_RATIOS[this.coarseness]
        : SOFTWARE_RATIO
      : Math.min(window.devicePixelRatio, 2);
    this.setSize(this.sizeAt(ratio));
  }

  sizeAt(ratio) {
    const box = this.canvas.parentElement.getBoundingClientRect();
    return [box.width, box.height].map((length) => Math.max(2, Math.round(length * ratio)));
  }

  setSize([width, height]) {
    if (this.width === width && this.height === height) return;
    this.renderer.setSize(width, height, false);
    this.screen.setSize(width, height);
  }

  /** Draw finely again once nothing moves. */
  refine() {
    if (!this.isSoftware) return;
    clearTimeout(this.restTimer);
    this.restTimer = setTimeout(() => {
      this.isLooking = false;
      this.resize();
    }, REST_MS);
  }

  /** Draw a frame; `then` is the same frame of the state that is compared with, if there is one. */
  draw(header, buffers, then = null) {
    this.header = header;
    this.buffers = buffers;
    this.tellNear();
    this.thenHeader = then;
    if (this.reel.isShowing) return this.play();
    this.fitSize();
    this.feed();
    this.render();
    if (!this.isMoving) return;
    this.keepTime();
    this.refine();
  }

  /** Say what the view shows otherwise than the proof. */
  tellNear() {
    const { header, isMoving, store } = this;
    const missing = this.shadows.of(header, this.buffers).missing;
    const near = store.state.flat ? [] : nearWords(header, { missing, isMoving, hasLayers: this.now.hasLayers });
    this.near.hidden = !near.length;
    this.near.textContent = near.join(" · ");
  }

  /** Show the picture that is kept of the frame, or draw one that is then kept. */
  play() {
    const { header, reel } = this;
    const { sizes } = reel;
    this.stayCoarse();
    const kept = reel.pictureOf(header);
    if (!kept) this.keepTime();
    this.setSize(sizes[0]);
    this.screen.copy(kept ?? reel.keep(header, sizes[this.coarseness]));
    this.store.emit("drawn", this.header);
    this.refine();
  }

  /** Choose the next frame's coarseness by how long the screen takes to refresh after this one. */
  keepTime() {
    requestAnimationFrame((first) =>
      requestAnimationFrame((second) => {
        const took = second - first;
        if (took > SLOW_MS && this.coarseness < MOVING_RATIOS.length - 1) this.coarseness += 1;
        else if (took < QUICK_MS && this.coarseness > 0) this.coarseness -= 1;
      }),
    );
  }

  /** Draw the same frame again, once per screen refresh at most. */
  redraw() {
    if (!this.header || this.waiting) return;
    this.stayCoarse();
    this.waiting = requestAnimationFrame(() => {
      this.waiting = null;
      this.fitSize();
      this.feed();
      this.render();
    });
  }

  /** What is drawn where: the scene as it is, as it was, or both beside each other. */
  get sides() {
    const { side, wipe, compared } = this.store.state;
    const [first, second] = this.screen.means;
    const now = { stage: this.now, header: this.header, means: first, part: [0, 1] };
    const then = { stage: this.then, header: this.thenHeader, means: second, part: [0, 1] };
    if (!compared || !this.thenHeader || side === "now") return [now];
    if (side === "then") return [then];
    const [x, , width] = this.frameBox();
    const at = x + width * wipe;
    return [
      { ...then, part: [0, at] },
      { ...now, part: [at, 1] },
    ];
  }

  currentView() {
    return this.free ?? this.header.view;
  }

  aim({ stage, header }, screen = this.screen) {
    const { flat } = this.store.state;
    const shadows = this.shadows.places(header, this.buffers, flat);
    return stage.aim(header, this.buffers, this.free ?? header.view, screen, { isFlat: flat, shadows });
  }

  feed() {
    for (const side of this.sides) side.stage.feed(side.header, this.buffers, this.aim(side));
    if (!this.store.state.compared) this.then.clear();
  }

  /** Draw the picture once; at rest it then becomes finer with every refresh of the screen. */
  render() {
    this.stayCoarse();
    this.tellNear();
    const { sides } = this;
    for (const side of sides) {
      // Without a graphics card there are no shadows until it rests.
      this.drawPass(side, 0, this.screen, this.isMoving ? 0 : 1);
      if (this.isAtRest) side.mean = this.screen.meanOf(0, this.screen.picture, side);
      this.compose(side, this.screen.picture);
    }
    this.store.emit("drawn", this.header);
    // Not before it has rested a little: somebody may be stepping through the frames.
    if (!this.isAtRest) return;
    const isSlow = this.isSoftware && this.hasShadows(sides);
    this.fineTimer = setTimeout(() => this.becomeFine(sides), isSlow ? SHADOWS_REST_MS : REST_MS);
  }

  hasShadows(sides) {
    return sides.some((side) => this.shadows.areIn(side.header, this.buffers, this.store.state.flat));
  }

  stayCoarse() {
    clearTimeout(this.fineTimer);
    this.fineRun = null;
  }

  /** Let the picture become finer pass by pass. No pass is asked for before the last is drawn: an edit never waits for several. */
  async becomeFine(sides) {
    const run = (this.fineRun = {});
    const hasShadows = this.hasShadows(sides);
    // What has shadows begins anew: those of the first picture have hard edges.
    for (let number = hasShadows ? 0 : 1; number < FINE_PASSES; number += 1) {
      await drawn(this.renderer.getContext());
      await new Promise(requestAnimationFrame);
      if (this.fineRun !== run) return;
      for (const side of sides) {
        this.drawPass(side, number, this.screen, FINE_PASSES);
        side.mean = this.screen.meanOf(number, side.mean, side);
        if ((number === 3 && !hasShadows) || number === FINE_PASSES - 1) this.compose(side, side.mean);
      }
    }
    this.reel.drawSoon();
  }

  /**
   * Draw a side into the picture, moved by the part of a pixel that belongs to a pass.
   * @param {number} count of how many passes it is one; 0 without shadows
   */
  drawPass(side, number, screen = this.screen, count = 0) {
    const { shared } = this;
    const [x, y] = PASSES[number];
    this.aim(side, screen);
    const { flat } = this.store.state;
    this.shadows.draw(side.stage, side.header, this.buffers, number, flat ? 0 : count);
    shared.uJitter.value.set((x * 2) / screen.width, (y * 2) / screen.height);
    shared.uPhase.value = (((number * 5 + 4) % FINE_PASSES) + 0.5) / FINE_PASSES;
    side.stage.draw(this.renderer, screen.picture);
    shared.uJitter.value.set(0, 0);
  }

  /** Put a side's picture on the screen, with what only the view shows: the outline of the selection and ghosts. */
  compose(side, picture) {
    const hasMarks = side.stage === this.now && this.isAtRest;
    if (hasMarks) this.aim(side);
    const hasOutline = hasMarks && this.drawMask();
    const { stage, part } = side;
    this.screen.show(picture, side.header, { stage, part, isFinishOff: this.store.state.flat, hasOutline });
    if (hasMarks) this.ghosts.draw(this, side);
  }

  drawMask() {
    const { selection, also } = this.store.state;
    if (selection?.family !== "figures") return false;
    const drawn = this.header.drawables.filter((one) => one.figure === selection.id);
    const copies = drawn.reduce((sum, one) => sum + one.count, 0);
    // Around many fine lines there would be more outline than line.
    const isFine = drawn.some((one) => !one.faceCount && one.pointCount > FINE_POINTS);
    const chosen = new Set([selection.id, ...also]);
    return (
      (this.outlined || (copies <= FEW_COPIES && !isFine) || chosen.size > 1) &&
      this.now.drawMask(this.renderer, this.screen.mask, chosen)
    );
  }

  /**
   * Return what is under a point of the canvas: the figure's id, and the place in the world; or null. What the scene
   * was cannot be taken hold of.
   */
  pick(x, y) {
    const ratio = this.width / this.canvas.clientWidth;
    const side =
      this.header &&
      this.sides.find(({ part }) => x * ratio >= part[0] * this.width && x * ratio <= part[1] * this.width);
    if (side?.stage !== this.now) return null;
    this.feed();
    this.aim(side);
    const ids = this.now.drawIds(this.renderer, this.screen.mask);
    if (!ids.length) return null;
    const pixel = new Uint8Array(4);
    this.renderer.readRenderTargetPixels(
      this.screen.mask,
      Math.floor(x * ratio),
      Math.floor(this.height - y * ratio),
      1,
      1,
      pixel,
    );
    this.redraw();
    const figure = ids[pixel[0] + pixel[1] * 256 - 1];
    return figure ? { figure, place: this.placeAt(x, y, depthOf(pixel)) } : null;
  }

  /** The place in the world that is so far along the line of sight under a point of the canvas. */
  placeAt(x, y, depth) {
    const { uEye, uForward, uRight, uUp, uTangent } = this.shared;
    const [right, up] = [(2 * x) / this.canvas.clientWidth - 1, 1 - (2 * y) / this.canvas.clientHeight];
    const across = plus(
      scaled(uRight.value.toArray(), right * uTangent.value.x),
      scaled(uUp.value.toArray(), up * uTangent.value.y),
    );
    return plus(uEye.value.toArray(), scaled(plus(uForward.value.toArray(), across), depth));
  }

  listen() {
    const { canvas } = this;
    canvas.addEventListener("contextmenu", (event) => event.preventDefault());
    canvas.addEventListener("pointerdown", (event) => {
      if (!this.header) return;
      canvas.setPointerCapture(event.pointerId);
      this.drag = { x: event.offsetX, y: event.offsetY, far: 0, slides: event.button === 2 };
    });
    canvas.addEventListener("pointermove", (event) => {
      if (!this.drag) return;
      const dx = event.offsetX - this.drag.x;
      const dy = event.offsetY - this.drag.y;
      this.drag.far += Math.abs(dx) + Math.abs(dy);
      this.drag.x = event.offsetX;
      this.drag.y = event.offsetY;
      if (this.drag.far < CLICK_PX) return;
      this.look(
        this.drag.slides ? slide(this.freeView(), dx, dy, canvas.clientWidth) : lookAround(this.freeView(), dx, dy),
      );
    });
    canvas.addEventListener("pointerup", (event) => {
      if (this.drag && this.drag.far < CLICK_PX && event.button === 0) {
        const found = this.pick(event.offsetX, event.offsetY);
        if (this.store.state.picking) {
          this.drag = null;
          takePlace(this.store, this.header, found?.place);
          return;
        }
        const figure = found?.figure;
        const adds = event.shiftKey || event.ctrlKey || event.metaKey;
        if (figure) this.store.select("figures", figure, { adds });
        this.store.set({ grip: figure ?? null, ...(figure ? { open: null } : {}) });
      }
      this.drag = null;
    });
    canvas.addEventListener(
      "wheel",
      (event) => {
        event.preventDefault();
        if (this.header) this.look(closer(this.freeView(), event.deltaY));
      },
      { passive: false },
    );
  }

  freeView() {
    if (this.free) return this.free;
    const { position, forward, up, tangent } = this.header.view;
    const distance = Math.max(50, -(position[0] * forward[0] + position[1] * forward[1] + position[2] * forward[2]));
    return { position, forward, up, tangent, pivot: plus(position, scaled(forward, distance)) };
  }

  look(view) {
    this.free = view;
    this.isLooking = true;
    this.refine();
    this.store.set({ free: true });
    this.redraw();
  }

  backToCamera() {
    this.free = null;
    this.store.set({ free: false });
    this.redraw();
  }

  /** Bring the selected figure, or everything, into view. */
  frameSelection() {
    if (!this.header) return;
    const { selection } = this.store.state;
    let chosen = this.header.drawables.filter((one) => selection?.family === "figures" && one.figure === selection.id);
    if (!chosen.length) chosen = this.header.drawables;
    const low = [Infinity, Infinity, Infinity];
    const high = [-Infinity, -Infinity, -Infinity];
    for (const one of chosen) {
      const rows = this.buffers.get(one.matrices);
      for (let k = 0; k < one.count; k += 1) {
        for (let corner = 0; corner < 8; corner += 1) {
          const p = [0, 1, 2].map((axis) => ((corner >> axis) & 1 ? one.high : one.low)[axis]);
          for (let axis = 0; axis < 3; axis += 1) {
            const at = k * 12 + axis * 4;
            const value = rows[at] * p[0] + rows[at + 1] * p[1] + rows[at + 2] * p[2] + rows[at + 3];
            low[axis] = Math.min(low[axis], value);
            high[axis] = Math.max(high[axis], value);
          }
        }
      }
    }
    if (low[0] > high[0]) return;
    this.look(framing(this.freeView(), scaled(plus(low, high), 0.5), Math.hypot(...minus(high, low)) / 2 || 50));
  }

  /** Draw the held frame at a size of its own and return its pixels, for comparing with the renderer. */
  snapshot(width, height, { isFlat = false, isFinishOff = false, passes = FINE_PASSES } = {}) {
    const before = { size: [this.width, this.height], flat: this.store.state.flat, free: this.free };
    const { screen } = this;
    this.setSize([width, height]);
    this.free = null;
    this.store.state.flat = isFlat;
    const side = { stage: this.now, header: this.header, means: screen.means[0] };
    this.now.feed(this.header, this.buffers, this.aim(side));
    this.drawPass(side, 0, screen, passes);
    let mean = screen.meanOf(0, screen.picture, side);
    for (let number = 1; number < passes; number += 1) {
      this.drawPass(side, number, screen, passes);
      mean = screen.meanOf(number, mean, side);
    }
    screen.show(mean, this.header, { stage: this.now, isFinishOff: isFinishOff || isFlat, hasChecks: false });
    const gl = this.renderer.getContext();
    const pixels = new Uint8Array(width * height * 4);
    gl.readPixels(0, 0, width, height, gl.RGBA, gl.UNSIGNED_BYTE, pixels);
    this.store.state.flat = before.flat;
    this.free = before.free;
    this.setSize(before.size);
    this.redraw();
    return pixels;
  }
}
