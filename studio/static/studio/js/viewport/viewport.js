// Draws frame packets with WebGL: the scene in linear light, then a cheap glow and the same view transform as the render.

import * as THREE from "../../vendor/three/three.module.min.js";
import { drawn } from "./fence.js";
import { Fine, FINE_PASSES, PASSES } from "./fine.js";
import { nearWords } from "./near.js";
import { Ghosts } from "./ghosts.js";
import { Paintings } from "./painted.js";
import { Reel } from "./reel.js";
import { Screen } from "./screen.js";
import { depthOf } from "./shaders.js";
import { Shadows } from "./shadows.js";
import { Stage, sharedUniforms } from "./stage.js";
import { View } from "./view.js";

const OUTLINE_MS = 1200;
// Without a graphics card what is selected is seen in the list before it is in the picture.
const LIST_FIRST_MS = 60;
const FEW_COPIES = 12;
const FINE_POINTS = 2000;
// Without a graphics card the view is drawn coarser while it moves, and finely again once it rests.
const SOFTWARE_RATIO = 0.9;
const MOVING_RATIOS = [0.6, 0.5, 0.42, 0.34, 0.27, 0.21];
const SLOW_MS = 30;
const QUICK_MS = 12;
// What takes longer than this at its coarsest is sooner drawn by the renderer, also while a value is moved.
const HEAVY_MS = 120;
const REST_MS = 260;
// So long it waits for the renderer's picture of what plays before it draws one itself.
const PATIENCE_MS = 1500;

/** What a canvas is drawn with by WebGL; null where there is none. */
export function contextOf(canvas) {
  return canvas.getContext("webgl2", { antialias: false, powerPreference: "high-performance" });
}

export class Viewport extends View {
  constructor(store, canvas, context) {
    super(store, canvas);
    this.renderer = new THREE.WebGLRenderer({ canvas, context, alpha: false, antialias: false });
    this.renderer.autoClear = false;
    this.renderer.setClearColor(0x000000, 0);
    this.renderer.outputColorSpace = THREE.LinearSRGBColorSpace;
    const info = context.getExtension("WEBGL_debug_renderer_info");
    const name = info ? context.getParameter(info.UNMASKED_RENDERER_WEBGL) : "";
    this.isSoftware = /swiftshader|llvmpipe|software/i.test(name);
    this.shared = sharedUniforms();
    this.screen = new Screen(this.renderer, this.isSoftware, this.shared);
    this.coarseness = 2;
    this.isHeavy = false;
    this.shadows = new Shadows(this.renderer, this.shared);
    this.now = new Stage(this.shared);
    this.then = new Stage(this.shared);
    this.ghosts = new Ghosts(this.shared);
    this.reel = new Reel(this, MOVING_RATIOS);
    this.fine = new Fine(this);
    // The first picture is to be there soon.
    this.isLooking = true;
    this.measure();
    new ResizeObserver(() => {
      this.measure();
      this.resize();
    }).observe(canvas.parentElement);
    this.resize();
    this.survive();
    store.on("flat side wipe compared", () => this.redraw());
    store.on("playing scrubbing gesture-end", () => (this.isSoftware ? this.refine() : this.redraw()));
    store.on("playing scrubbing", () => (this.shownAt = performance.now()));
    store.on("gesture-end", () => (this.isHeavy = false));
    store.on("selection also onion", () => this.outline());
    store.on("held work", () => this.reel.glimpses.fetchSoon());
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
    clearTimeout(this.outlineSoon);
    if (this.isSoftware) this.outlineSoon = setTimeout(() => this.redraw(), LIST_FIRST_MS);
    else this.redraw();
  }

  get isMoving() {
    return this.isSoftware && (this.isRunning || Boolean(this.store.gesture) || this.isLooking);
  }

  /** Whether frame follows on frame. */
  get isRunning() {
    const { playing, scrubbing } = this.store.state;
    return playing || scrubbing;
  }

  /** At rest the picture becomes finer, and shows what is selected and what the frames around hold. */
  get isAtRest() {
    return !this.isMoving && !this.isRunning && !this.store.gesture;
  }

  get width() {
    return this.screen.width;
  }

  get height() {
    return this.screen.height;
  }

  resize() {
    this.fitSize();
    this.redraw();
  }

  fitSize() {
    const isCoarse = this.isMoving || this.fine.isSlow;
    this.setSize(isCoarse ? this.sizeAt(MOVING_RATIOS[this.coarseness]) : this.fineSize);
  }

  /** How large the picture is once it rests. */
  get fineSize() {
    return this.sizeAt(this.isSoftware ? SOFTWARE_RATIO : Math.min(window.devicePixelRatio, 2));
  }

  /** Find how large the view is. It is kept: whoever asks while the page is about to change lets all of it be laid out. */
  measure() {
    const { width, height } = this.canvas.parentElement.getBoundingClientRect();
    this.box = [width, height];
  }

  sizeAt(ratio) {
    return this.box.map((length) => Math.max(2, Math.round(length * ratio)));
  }

  setSize(size) {
    this.screen.setSize(...size);
  }

  /** Draw finely again once nothing moves. */
  refine() {
    if (!this.isSoftware) return;
    // Looking around ends by itself, also while it plays, when nothing rests.
    if (this.isLooking) this.lookTimer ??= setTimeout(() => this.endLooking(), REST_MS);
    clearTimeout(this.restTimer);
    this.restTimer = setTimeout(() => {
      this.endLooking();
      // What plays or is moved is drawn when there is another of it.
      if (!this.isMoving) this.resize();
    }, REST_MS);
  }

  endLooking() {
    clearTimeout(this.lookTimer);
    this.lookTimer = null;
    this.isLooking = false;
  }

  holds(held) {
    this.reel.held = held;
    this.ghosts.headers = held.headers;
  }

  took(frame) {
    this.reel.glimpses.along(frame);
  }

  hasPicture(frame) {
    return this.reel.isShowing && Boolean(this.reel.pictureOf(frame));
  }

  flash(frame) {
    if (!this.reel.isShowing) return false;
    const kept = this.reel.pictureOf(frame);
    if (kept) this.showPicture(kept);
    this.wantPicture();
    return Boolean(kept);
  }

  get playsPictures() {
    return this.reel.isShowing && this.reel.glimpses.areThere;
  }

  get leavesOut() {
    return this.playsPictures ? this.reel.glimpses.each - 1 : 0;
  }

  wantPicture() {
    if (this.reel.isShowing) this.reel.glimpses.fetchSoon(0);
  }

  /** The browser may take the context away at any time; until it gives one again, the renderer's pictures are shown. */
  survive() {
    const { canvas } = this;
    canvas.addEventListener("webglcontextlost", () => {
      this.fine.stop();
      this.paintings ??= new Paintings(this.store, canvas, () => this.reveal());
      this.isLost = true;
      canvas.classList.add("lost");
      this.redraw();
    });
    canvas.addEventListener("webglcontextrestored", () => {
      this.isLost = false;
      // What was drawn is gone.
      this.reel.clear();
      this.redraw();
    });
  }

  /** Show the renderer's picture instead of drawing one. */
  paint() {
    this.tell(["the graphics card is away: drawn by the renderer"]);
    this.paintings.show(this.header, this.free);
    this.store.emit("drawn", this.header);
  }

  /** Draw a frame; `then` is the same frame of the state that is compared with, if there is one. */
  draw(header, buffers, then = null) {
    this.header = header;
    this.buffers = buffers;
    this.thenHeader = then;
    if (this.isLost) return this.paint();
    this.tellNear();
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
    this.tell(store.state.flat ? [] : nearWords(header, { missing, isMoving, hasLayers: this.now.hasLayers }));
  }

  /** Show the picture that is kept of the frame; if there is none, the renderer's is shown once it has come. */
  play() {
    const { header, reel } = this;
    this.fine.stop();
    const kept = reel.pictureOf(header.frame);
    if (kept) this.showPicture(kept);
    else if (!reel.glimpses.areThere || performance.now() - this.shownAt > PATIENCE_MS) {
      this.keepTime();
      this.showPicture(reel.draw(header, this.sizeAt(MOVING_RATIOS[this.coarseness])));
    }
    reel.glimpses.fetchSoon(0);
    this.refine();
  }

  /** Put a picture that is kept on the screen. */
  showPicture(picture) {
    this.shownAt = performance.now();
    this.setSize(this.sizeAt(MOVING_RATIOS[0]));
    this.screen.copy(picture, this.header);
    this.store.emit("drawn", this.header);
  }

  /** Choose the next frame's coarseness by how long the screen takes to refresh after this one. */
  keepTime() {
    requestAnimationFrame((first) =>
      requestAnimationFrame((second) => {
        const took = second - first;
        this.isHeavy = this.coarseness === MOVING_RATIOS.length - 1 && took > HEAVY_MS;
        this.shownAt = second;
        if (took > SLOW_MS && this.coarseness < MOVING_RATIOS.length - 1) this.coarseness += 1;
        else if (took < QUICK_MS && this.coarseness > 0) this.coarseness -= 1;
      }),
    );
  }

  /** Draw the same frame again, once per screen refresh at most. */
  redraw() {
    if (!this.header || this.waiting) return;
    this.fine.stop();
    this.waiting = requestAnimationFrame(() => {
      this.waiting = null;
      if (this.isLost) return this.paint();
      if (this.reel.isShowing) return this.play();
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
    this.fine.stop();
    this.tellNear();
    const { sides } = this;
    for (const side of sides) {
      // Without a graphics card there are no shadows until it rests.
      this.drawPass(side, 0, this.screen, this.isMoving || this.fine.isSlow ? 0 : 1);
      if (this.isAtRest) side.mean = this.screen.meanOf(0, this.screen.picture, side);
      this.compose(side, this.screen.picture);
    }
    this.store.emit("drawn", this.header);
    if (this.paintings) this.comeBack();
    else if (this.first) drawn(this.renderer.getContext()).then(() => this.reveal());
    if (this.isAtRest) this.fine.beginSoon(sides);
  }

  /** What was shown while there was no context goes once there is a picture again. */
  async comeBack() {
    await drawn(this.renderer.getContext());
    if (this.isLost) return;
    this.paintings.hide();
    this.canvas.classList.remove("lost");
  }

  hasShadows(sides) {
    return sides.some((side) => this.shadows.areIn(side.header, this.buffers, this.store.state.flat));
  }

  /**
   * Draw a side into the picture, moved by the part of a pixel that belongs to a pass.
   * @param {number} count of how many passes it is one; 0 without shadows
   * @param {[number, number]} band which of so many bands of it is drawn, the lowest first
   */
  drawPass(side, number, screen = this.screen, count = 0, [band, bands] = [0, 1]) {
    const { shared } = this;
    const [x, y] = PASSES[number];
    this.aim(side, screen);
    const { flat } = this.store.state;
    // All bands of a pass read the same shadows.
    if (band === 0) this.shadows.draw(side.stage, side.header, this.buffers, number, flat ? 0 : count);
    shared.uJitter.value.set((x * 2) / screen.width, (y * 2) / screen.height);
    shared.uPhase.value = (((number * 5 + 4) % FINE_PASSES) + 0.5) / FINE_PASSES;
    const { picture } = screen;
    const [foot, head] = [band, band + 1].map((edge) => Math.round((edge * picture.height) / bands));
    picture.scissor.set(0, foot, picture.width, head - foot);
    picture.scissorTest = bands > 1;
    side.stage.draw(this.renderer, picture);
    picture.scissorTest = false;
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
    if (this.isLost) return this.paintings.pick(this, x, y);
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

  look(view) {
    this.endLooking();
    this.isLooking = true;
    this.refine();
    super.look(view);
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
