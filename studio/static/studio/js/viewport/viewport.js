// Draws frame packets with WebGL: the scene in linear light, then a cheap glow and the same view transform as the render.

import * as THREE from "../../vendor/three/three.module.js";
import { DrawnStroke, DrawnSurface } from "./drawn.js";
import { MergedSurface, isMerged } from "./merged.js";
import { closer, cross, framing, lookAround, minus, plus, scaled, slide, unit } from "./orbit.js";
import { BRIGHT_FRAGMENT, DOUBLE_FRAGMENT, MEAN_FRAGMENT, SCREEN_FRAGMENT, SCREEN_VERTEX } from "./shaders.js";

const MAX_LIGHTS = 4;
const MAX_LEVELS = 7;
const CLICK_PX = 4;
const OUTLINE_MS = 1200;
const FEW_COPIES = 12;
// Without a graphics card the view is drawn coarser while it moves, and finely again once it rests.
const SOFTWARE_RATIO = 0.9;
const MOVING_RATIOS = [0.6, 0.5, 0.42, 0.34, 0.27, 0.21];
const SLOW_MS = 30;
const QUICK_MS = 12;
const REST_MS = 260;
// At rest the picture becomes the mean of so many, each moved by a part of a pixel and with other thresholds of opacity.
// Each row and column of an eight by eight grid is taken once; the one nearest to the middle comes first.
const PASSES = [[3, 4], [6, 2], [1, 6], [4, 1], [7, 7], [0, 0], [5, 5], [2, 3]].map((place) => place.map((step) => (step + 0.5) / 8 - 0.5));
const FINE_PASSES = PASSES.length;
const FINISH_OFF = { strength: 0, gain: 1, filmic: 0, vignette: 0, reach: 1, softness: 1, levels: 0, knee: 1 };

export class Viewport {
  constructor(store, canvas) {
    this.store = store;
    this.canvas = canvas;
    this.renderer = new THREE.WebGLRenderer({ canvas, antialias: false, alpha: false, powerPreference: "high-performance" });
    this.renderer.autoClear = false;
    this.renderer.setClearColor(0x000000, 0);
    this.renderer.outputColorSpace = THREE.LinearSRGBColorSpace;
    const gl = this.renderer.getContext();
    const info = gl.getExtension("WEBGL_debug_renderer_info");
    this.isSoftware = /swiftshader|llvmpipe|software/i.test(info ? gl.getParameter(info.UNMASKED_RENDERER_WEBGL) : "");
    this.scene = new THREE.Scene();
    this.camera = new THREE.Camera();
    this.drawn = new Map();
    this.coarseness = 2;
    this.shared = {
      uEye: { value: new THREE.Vector3() }, uRight: { value: new THREE.Vector3() }, uUp: { value: new THREE.Vector3() },
      uForward: { value: new THREE.Vector3() }, uTangent: { value: new THREE.Vector2() }, uSize: { value: new THREE.Vector2() },
      uFocal: { value: 1 }, uJitter: { value: new THREE.Vector2() }, uPhase: { value: 0.5 }, uSky: { value: [0, 1, 2].map(() => new THREE.Vector3()) },
      ...Object.fromEntries(["uSunWay", "uSunColour", "uKeyPlace", "uKeyColour"].map((name) => [name, { value: Array.from({ length: MAX_LIGHTS }, () => new THREE.Vector4()) }])),
    };
    this.passes = this.makePasses();
    this.free = null;
    new ResizeObserver(() => this.resize()).observe(canvas.parentElement);
    this.resize();
    this.listen();
    store.on("flat", () => this.redraw());
    store.on("playing gesture-end", () => this.refine());
    store.on("selection also", () => this.outline());
  }

  /** Outline the selection: for a moment where it is many copies, else as long as it is selected. */
  outline() {
    clearTimeout(this.outlineTimer);
    this.outlined = true;
    this.outlineTimer = setTimeout(() => {
      this.outlined = false;
      this.redraw();
    }, OUTLINE_MS);
    this.redraw();
  }

  makePasses() {
    const pass = (fragment, uniforms) => {
      const material = new THREE.RawShaderMaterial({ glslVersion: THREE.GLSL3, vertexShader: SCREEN_VERTEX, fragmentShader: fragment, uniforms, depthTest: false, depthWrite: false });
      const geometry = new THREE.BufferGeometry();
      geometry.setAttribute("position", new THREE.BufferAttribute(new Float32Array(9), 3));
      const mesh = new THREE.Mesh(geometry, material);
      mesh.frustumCulled = false;
      return { mesh, uniforms, scene: new THREE.Scene().add(mesh) };
    };
    const vec = () => ({ value: new THREE.Vector3() });
    const one = (value = 0) => ({ value });
    return {
      bright: pass(BRIGHT_FRAGMENT, { uPicture: one(null), uKnee: one() }),
      mean: pass(MEAN_FRAGMENT, { uPicture: one(null), uBefore: one(null), uShare: one(1) }),
      double: pass(DOUBLE_FRAGMENT, { uSmall: one(null), uLarge: one(null) }),
      screen: pass(SCREEN_FRAGMENT, {
        uPicture: one(null), uHalo: one(null), uMask: one(null), uHaloStrength: one(), uGain: one(1), uFilmic: one(), uVignette: one(),
        uReach: one(1), uSoftness: one(1), uSelected: one(), uChecks: one(1), uTop: vec(), uBottom: vec(), uBackground: one(), uFrame: { value: new THREE.Vector4(0, 0, 1, 1) }, uPixel: { value: new THREE.Vector2() },
      }),
    };
  }

  get isMoving() {
    return this.isSoftware && (this.store.state.playing || Boolean(this.store.gesture) || this.isLooking);
  }

  resize() {
    this.fitSize();
    this.redraw();
  }

  fitSize() {
    const box = this.canvas.parentElement.getBoundingClientRect();
    const ratio = this.isSoftware ? (this.isMoving ? MOVING_RATIOS[this.coarseness] : SOFTWARE_RATIO) : Math.min(window.devicePixelRatio, 2);
    this.setSize(Math.max(2, Math.round(box.width * ratio)), Math.max(2, Math.round(box.height * ratio)));
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

  setSize(width, height) {
    if (this.width === width && this.height === height) return;
    this.width = width;
    this.height = height;
    this.renderer.setSize(width, height, false);
    const name = `${width}x${height}`;
    this.sizes ??= new Map();
    if (!this.sizes.has(name)) {
      if (this.sizes.size > 3) this.sizes.values().next().value.forEach((target) => target.dispose());
      if (this.sizes.size > 3) this.sizes.delete(this.sizes.keys().next().value);
      this.sizes.set(name, this.makeTargets(width, height));
    }
    const [picture, mask, mean, other, ...others] = this.sizes.get(name);
    Object.assign(this, { picture, mask, means: [mean, other], levels: others.slice(0, MAX_LEVELS), sums: others.slice(MAX_LEVELS) });
  }

  makeTargets(width, height) {
    const half = { type: THREE.HalfFloatType, minFilter: THREE.LinearFilter, magFilter: THREE.LinearFilter, depthBuffer: false };
    const picture = new THREE.WebGLRenderTarget(width, height, { ...half, depthBuffer: true, samples: this.isSoftware ? 0 : 4 });
    const mask = new THREE.WebGLRenderTarget(width, height, { minFilter: THREE.LinearFilter, magFilter: THREE.LinearFilter });
    const levels = [];
    for (let w = width, h = height, k = 0; k < MAX_LEVELS; k += 1) {
      w = Math.max(1, Math.ceil(w / 2));
      h = Math.max(1, Math.ceil(h / 2));
      levels.push([w, h]);
    }
    const made = () => levels.map(([w, h]) => new THREE.WebGLRenderTarget(w, h, half));
    const means = [0, 1].map(() => new THREE.WebGLRenderTarget(width, height, half));
    return [picture, mask, ...means, ...made(), ...made()];
  }

  /** Where the picture's frame lies within the canvas: x, y, width, height in 0..1, from the foot. */
  frameBox(size) {
    const aspect = size[0] / size[1];
    const wide = this.width / this.height > aspect;
    const w = wide ? (this.height * aspect) / this.width : 1;
    const h = wide ? 1 : this.width / aspect / this.height;
    return [(1 - w) / 2, (1 - h) / 2, w, h];
  }

  draw(header, buffers) {
    this.header = header;
    this.buffers = buffers;
    this.fitSize();
    this.feed();
    if (this.isMoving) {
      this.renderInTime();
      this.refine();
    } else this.render();
  }

  /** Draw, and choose the next frame's coarseness by how long the screen then takes to refresh. */
  renderInTime() {
    this.render();
    requestAnimationFrame((first) => requestAnimationFrame((second) => {
      const took = second - first;
      if (took > SLOW_MS && this.coarseness < MOVING_RATIOS.length - 1) this.coarseness += 1;
      else if (took < QUICK_MS && this.coarseness > 0) this.coarseness -= 1;
    }));
  }

  /** Draw the same frame again, once per screen refresh at most. */
  redraw() {
    if (!this.header || this.waiting) return;
    this.waiting = requestAnimationFrame(() => {
      this.waiting = null;
      this.fitSize();
      this.feed();
      this.render();
    });
  }

  currentView() {
    if (this.free) return this.free;
    const { position, forward, up, tangent } = this.header.view;
    return { position, forward, up, tangent };
  }

  feed() {
    const { header, shared } = this;
    const view = this.currentView();
    const box = this.frameBox([header.background.width, header.background.height]);
    const tangentX = view.tangent / box[2];
    shared.uEye.value.fromArray(view.position);
    shared.uForward.value.fromArray(view.forward);
    shared.uUp.value.fromArray(view.up);
    shared.uRight.value.fromArray(unit(cross(view.forward, view.up)));
    shared.uTangent.value.set(tangentX, (tangentX * this.height) / this.width);
    shared.uSize.value.set(this.width, this.height);
    shared.uFocal.value = this.width / 2 / tangentX;
    const lights = this.feedLights();
    const measures = { ...lights, scale: this.height * box[3], focal: shared.uFocal.value, isFlat: this.store.state.flat };
    const wanted = new Set();
    let salt = 0;
    header.drawables.forEach((one) => {
      one.looks.forEach((look, index) => {
        const name = `${one.figure} ${one.part} ${index} ${look.kind} ${look.blend}${look.texture ? " painted" : ""}${isMerged(one, look) ? " merged" : ""}`;
        wanted.add(name);
        if (!this.drawn.has(name)) {
          const Kind = look.kind !== "surface" ? DrawnStroke : isMerged(one, look) ? MergedSurface : DrawnSurface;
          const made = new Kind(shared, look);
          made.figure = one.figure;
          this.drawn.set(name, made);
          this.scene.add(made.mesh);
        }
        const drawn = this.drawn.get(name);
        drawn.feed(one, look, this.buffers, measures);
        if (look.kind !== "surface" || look.blend !== "normal") return;
        drawn.material.uniforms.uSalt.value = salt;
        salt += one.count;
      });
    });
    for (const [name, drawn] of this.drawn) {
      if (wanted.has(name)) continue;
      this.scene.remove(drawn.mesh);
      drawn.dispose();
      this.drawn.delete(name);
    }
  }

  feedLights() {
    const { shared } = this;
    let suns = 0;
    let keys = 0;
    for (const row of shared.uSky.value) row.set(0, 0, 0);
    for (const light of this.header.lights) {
      if (light.kind === "sun" && suns < MAX_LIGHTS) {
        const around = (light.around * Math.PI) / 180;
        const above = (light.above * Math.PI) / 180;
        shared.uSunWay.value[suns].set(Math.sin(around) * Math.cos(above), Math.sin(above), Math.cos(around) * Math.cos(above), 0);
        shared.uSunColour.value[suns].set(...scaled(light.colour, light.brightness), 0);
        suns += 1;
      } else if (light.kind === "key" && keys < MAX_LIGHTS) {
        shared.uKeyPlace.value[keys].set(...light.position, light.width);
        shared.uKeyColour.value[keys].set(...scaled(light.colour, light.brightness), light.reach);
        keys += 1;
      } else if (light.kind === "sky") {
        [light.top, light.horizon, light.ground].forEach((colour, row) => shared.uSky.value[row].add(new THREE.Vector3(...scaled(colour, light.brightness))));
      }
    }
    return { suns, keys };
  }

  finishSettings(isOff) {
    const found = { ...FINISH_OFF };
    if (isOff) return found;
    for (const effect of this.header.finish) {
      if (effect.kind === "glow") {
        const lines = this.height * this.frameBox([this.header.background.width, this.header.background.height])[3];
        found.levels = Math.max(1, Math.min(MAX_LEVELS, Math.round(Math.log2(Math.max(lines, 8)) - 5.1 + effect.size * 4)));
        found.strength = effect.strength;
        found.knee = effect.above;
      } else if (effect.kind === "vignette") Object.assign(found, { vignette: effect.strength, reach: effect.reach, softness: Math.max(effect.softness, 1e-3) });
      else if (effect.kind === "exposure") Object.assign(found, { gain: 2 ** effect.stops, filmic: effect.transform === "filmic" ? 1 : 0 });
    }
    return found;
  }

  /** Draw the picture once; at rest it then becomes finer with every refresh of the screen. */
  render({ isFinishOff = false, hideSelection = false } = {}) {
    clearTimeout(this.fineTimer);
    cancelAnimationFrame(this.fineFrame);
    this.drawScene(0);
    this.compose(this.picture, { isFinishOff, hideSelection });
    if (this.isMoving || this.store.state.playing || this.store.gesture) return;
    // Not before it has rested a little: somebody may be stepping through the frames.
    this.fineTimer = setTimeout(() => this.refineFrom(1, this.picture), REST_MS);
  }

  refineFrom(number, before) {
    if (number >= FINE_PASSES) return;
    this.fineFrame = requestAnimationFrame(() => {
      const mean = this.meanWith(number, before);
      if (number === 3 || number === FINE_PASSES - 1) this.compose(mean, {});
      this.refineFrom(number + 1, mean);
    });
  }

  /** Draw the scene into its target, moved by the part of a pixel that belongs to a pass. */
  drawScene(number) {
    const { renderer, shared } = this;
    const [x, y] = PASSES[number];
    shared.uJitter.value.set((x * 2) / this.width, (y * 2) / this.height);
    shared.uPhase.value = (((number * 5 + 4) % FINE_PASSES) + 0.5) / FINE_PASSES;
    renderer.setRenderTarget(this.picture);
    renderer.clear();
    renderer.render(this.scene, this.camera);
    shared.uJitter.value.set(0, 0);
  }

  /** Draw another pass and return the target with the mean of all so far. */
  meanWith(number, before) {
    const { renderer, passes, means } = this;
    if (number === 1) this.blend(this.picture, this.picture, 1, means[0]);
    const old = number === 1 ? means[0] : before;
    this.drawScene(number);
    const next = old === means[0] ? means[1] : means[0];
    this.blend(old, this.picture, 1 / (number + 1), next);
    renderer.setRenderTarget(null);
    passes.mean.uniforms.uPicture.value = passes.mean.uniforms.uBefore.value = null;
    return next;
  }

  blend(before, picture, share, target) {
    const { renderer, passes } = this;
    passes.mean.uniforms.uBefore.value = before.texture;
    passes.mean.uniforms.uPicture.value = picture.texture;
    passes.mean.uniforms.uShare.value = share;
    renderer.setRenderTarget(target);
    renderer.render(passes.mean.scene, this.camera);
  }

  /** Put a picture of linear light on the screen: glow, view transform, background, outline of the selection. */
  compose(picture, { isFinishOff = false, hideSelection = false }) {
    const { renderer, passes, header } = this;
    const background = header.background;
    const box = this.frameBox([background.width, background.height]);
    const finish = this.finishSettings(isFinishOff || this.store.state.flat);
    this.halo(finish, picture);
    const selected = !hideSelection && !this.store.state.playing && !this.store.gesture && !this.isMoving && this.drawMask();
    const screen = passes.screen.uniforms;
    screen.uPicture.value = picture.texture;
    screen.uHalo.value = (finish.levels > 1 ? this.sums : this.levels)[0].texture;
    screen.uHaloStrength.value = finish.levels ? finish.strength : 0;
    screen.uGain.value = finish.gain;
    screen.uFilmic.value = finish.filmic;
    screen.uVignette.value = finish.vignette;
    screen.uReach.value = finish.reach;
    screen.uSoftness.value = finish.softness;
    screen.uFrame.value.set(...box);
    screen.uTop.value.fromArray(background.colour);
    screen.uBottom.value.fromArray(background.bottom);
    screen.uBackground.value = ["solid", "gradient", "transparent"].indexOf(background.background);
    screen.uChecks.value = hideSelection ? 0 : 1;
    screen.uMask.value = this.mask.texture;
    screen.uSelected.value = selected ? 1 : 0;
    screen.uPixel.value.set(1.2 / this.width, 1.2 / this.height);
    renderer.setRenderTarget(null);
    renderer.render(passes.screen.scene, this.camera);
    this.drawCount = (this.drawCount ?? 0) + 1;
    this.store.emit("drawn", header);
  }

  halo(finish, picture) {
    const { renderer, passes, levels, sums } = this;
    if (!finish.levels) return;
    for (let k = 0; k < finish.levels; k += 1) {
      passes.bright.uniforms.uPicture.value = k ? levels[k - 1].texture : picture.texture;
      passes.bright.uniforms.uKnee.value = k ? 0 : finish.knee;
      renderer.setRenderTarget(levels[k]);
      renderer.render(passes.bright.scene, this.camera);
    }
    let small = levels[finish.levels - 1];
    for (let k = finish.levels - 2; k >= 0; k -= 1) {
      passes.double.uniforms.uSmall.value = small.texture;
      passes.double.uniforms.uLarge.value = levels[k].texture;
      renderer.setRenderTarget(sums[k]);
      renderer.render(passes.double.scene, this.camera);
      small = sums[k];
    }
    
  }

  /** Draw figures as plain numbers: all of them (to pick) or a set of them (for their outline). */
  drawIds(target, only) {
    let found = false;
    const ids = [...new Set([...this.drawn.values()].map((drawn) => drawn.figure))];
    for (const drawn of this.drawn.values()) {
      const shows = only === null || only.has(drawn.figure);
      drawn.mesh.visible = shows;
      found ||= shows;
      drawn.material.uniforms.uPick.value = only === null ? ids.indexOf(drawn.figure) + 1 : 255;
      drawn.mesh.material = drawn.picking;
    }
    if (found) {
      this.renderer.setRenderTarget(target);
      this.renderer.clear();
      this.renderer.render(this.scene, this.camera);
    }
    for (const drawn of this.drawn.values()) {
      drawn.mesh.visible = true;
      drawn.mesh.material = drawn.material;
    }
    return found ? ids : null;
  }

  drawMask() {
    const { selection } = this.store.state;
    if (selection?.family !== "figures") return false;
    const copies = this.header.drawables.filter((one) => one.figure === selection.id).reduce((sum, one) => sum + one.count, 0);
    const chosen = new Set([selection.id, ...this.store.state.also]);
    return (this.outlined || copies <= FEW_COPIES || chosen.size > 1) && this.drawIds(this.mask, chosen) !== null;
  }

  /** Return the id of the figure under a point of the canvas, or null. */
  pick(x, y) {
    if (!this.header) return null;
    const ids = this.drawIds(this.mask, null);
    if (!ids) return null;
    const pixel = new Uint8Array(4);
    const ratio = this.width / this.canvas.clientWidth;
    this.renderer.readRenderTargetPixels(this.mask, Math.floor(x * ratio), Math.floor(this.height - y * ratio), 1, 1, pixel);
    this.redraw();
    return ids[pixel[0] + pixel[1] * 256 - 1] ?? null;
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
      this.look(this.drag.slides ? slide(this.freeView(), dx, dy, canvas.clientWidth) : lookAround(this.freeView(), dx, dy));
    });
    canvas.addEventListener("pointerup", (event) => {
      if (this.drag && this.drag.far < CLICK_PX && event.button === 0) {
        const figure = this.pick(event.offsetX, event.offsetY);
        const adds = event.shiftKey || event.ctrlKey || event.metaKey;
        if (figure) this.store.select("figures", figure, { adds });
        this.store.set({ grip: figure ?? null, ...(figure ? { open: null } : {}) });
      }
      this.drag = null;
    });
    canvas.addEventListener("wheel", (event) => {
      event.preventDefault();
      if (this.header) this.look(closer(this.freeView(), event.deltaY));
    }, { passive: false });
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
  snapshot(width, height, { isFlat = false, isFinishOff = false } = {}) {
    const before = { width: this.width, height: this.height, flat: this.store.state.flat, free: this.free };
    this.setSize(width, height);
    this.free = null;
    this.store.state.flat = isFlat;
    this.feed();
    this.render({ isFinishOff, hideSelection: true });
    clearTimeout(this.fineTimer);
    let mean = this.picture;
    for (let number = 1; number < FINE_PASSES; number += 1) mean = this.meanWith(number, mean);
    this.compose(mean, { isFinishOff, hideSelection: true });
    const gl = this.renderer.getContext();
    const pixels = new Uint8Array(width * height * 4);
    gl.readPixels(0, 0, width, height, gl.RGBA, gl.UNSIGNED_BYTE, pixels);
    this.store.state.flat = before.flat;
    this.free = before.free;
    this.setSize(before.width, before.height);
    this.redraw();
    return pixels;
  }
}
