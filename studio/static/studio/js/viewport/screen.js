// From a picture of linear light to the screen: the mean of several passes, glow, view transform, background, outlines.

import * as THREE from "../../vendor/three/three.module.min.js";
import { whiteOf } from "./bright.js";
import { feedGround } from "./ground.js";
import { FINISHES, isDrawn, isChanged, isLimited, limited } from "./finishes/table.js";
import {
  BRIGHT_FRAGMENT,
  COPY_FRAGMENT,
  MARKED_FRAGMENT,
  DOUBLE_FRAGMENT,
  finishFragment,
  FRAMED_FRAGMENT,
  GHOST_FRAGMENT,
  MEAN_FRAGMENT,
  ROLLED_ON_FRAGMENT,
  screenFragment,
  SCREEN_VERTEX,
} from "./screen-shaders.js";
import { frameBoxIn } from "./view.js";

const MAX_LEVELS = 7;
const SIZES_KEPT = 3;
export class Screen {
  /** `shared` are the uniforms that everything in the view shares, see sharedUniforms. */
  constructor(renderer, isSoftware, shared) {
    this.renderer = renderer;
    this.shared = shared;
    this.isSoftware = isSoftware;
    this.camera = new THREE.Camera();
    this.sizes = new Map();
    this.chains = new Map();
    this.covers = new Map();
    this.coverTargets = [];
    this.passes = this.makePasses();
  }

  /** A pass over the whole picture: what it draws with its fragment shader, its uniforms, and a scene to render. */
  makePass(fragment, uniforms, more = {}) {
    const material = new THREE.RawShaderMaterial({
      glslVersion: THREE.GLSL3,
      vertexShader: SCREEN_VERTEX,
      fragmentShader: fragment,
      uniforms,
      depthTest: false,
      depthWrite: false,
      ...more,
    });
    const geometry = new THREE.BufferGeometry();
    geometry.setAttribute("position", new THREE.BufferAttribute(new Float32Array(9), 3));
    const mesh = new THREE.Mesh(geometry, material);
    mesh.frustumCulled = false;
    return { mesh, uniforms, scene: new THREE.Scene().add(mesh) };
  }

  /** The uniforms of a pass that reads what is behind everything. */
  grounds() {
    const { uFrame, uTop, uBottom, uSkies, uBackground, uRight, uUp, uForward, uTangent } = this.shared;
    const { uAround, uAroundLevels, uAroundTurn } = this.shared;
    return {
      ...{ uFrame, uTop, uBottom, uSkies, uBackground, uRight, uUp, uForward, uTangent },
      ...{ uAround, uAroundLevels, uAroundTurn },
      uHasGround: { value: 0 },
    };
  }

  makePasses() {
    const pass = (...more) => this.makePass(...more);
    const one = (value = 0) => ({ value });
    return {
      bright: pass(BRIGHT_FRAGMENT, { uPicture: one(null), uKnee: one(), ...this.grounds() }),
      mean: pass(MEAN_FRAGMENT, {
        uPicture: one(null),
        uBefore: one(null),
        uShare: one(1),
        uWhite: one(1),
        ...this.grounds(),
      }),
      rolledOn: pass(ROLLED_ON_FRAGMENT, { uPicture: one(null), uWhite: one(1), ...this.grounds() }),
      copy: pass(COPY_FRAGMENT, { uPicture: one(null) }),
      framed: pass(FRAMED_FRAGMENT, { uPicture: one(null), uFrame: this.shared.uFrame }),
      marked: pass(MARKED_FRAGMENT, { uPicture: one(null), uCover: one(null), ...this.grounds() }),
      overlay: pass(COPY_FRAGMENT, { uPicture: one(null) }, { transparent: true, premultipliedAlpha: true }),
      double: pass(DOUBLE_FRAGMENT, { uSmall: one(null), uLarge: one(null), uKeep: one(), uAdd: one(1) }),
      ghost: pass(
        GHOST_FRAGMENT,
        { uMask: one(null), uStrength: one(1), uDotted: one(), uPixel: { value: new THREE.Vector2() } },
        { transparent: true },
      ),
    };
  }

  /** Let the canvas be as large as what is put on it. What it showed is gone by that, so it waits until then. */
  fitCanvas() {
    const { canvas } = this.renderer.getContext();
    if (canvas.width !== this.width || canvas.height !== this.height)
      this.renderer.setSize(this.width, this.height, false);
  }

  setSize(width, height) {
    if (this.width === width && this.height === height) return;
    this.width = width;
    this.height = height;
    const name = `${width}x${height}`;
    if (!this.sizes.has(name)) {
      if (this.sizes.size > SIZES_KEPT) {
        const [oldest, targets] = this.sizes.entries().next().value;
        for (const target of targets) target.dispose();
        this.sizes.delete(oldest);
      }
      this.sizes.set(name, this.makeTargets(width, height));
    }
    const [picture, mask, skins, first, second, third, fourth, ...others] = this.sizes.get(name);
    Object.assign(this, {
      picture,
      mask,
      skins,
      means: [
        [first, second],
        [third, fourth],
      ],
      levels: others.slice(0, MAX_LEVELS),
      sums: others.slice(MAX_LEVELS),
    });
  }

  makeTargets(width, height) {
    const half = {
      type: THREE.HalfFloatType,
      minFilter: THREE.LinearFilter,
      magFilter: THREE.LinearFilter,
      depthBuffer: false,
    };
    const picture = new THREE.WebGLRenderTarget(width, height, {
      ...half,
      depthBuffer: true,
      stencilBuffer: true,
      samples: this.isSoftware ? 0 : 4,
    });
    const mask = new THREE.WebGLRenderTarget(width, height, {
      stencilBuffer: true,
      minFilter: THREE.LinearFilter,
      magFilter: THREE.LinearFilter,
    });
    const skins = new THREE.WebGLRenderTarget(width, height, { depthBuffer: false });
    const levels = [];
    for (let w = width, h = height, k = 0; k < MAX_LEVELS; k += 1) {
      w = Math.max(1, Math.ceil(w / 2));
      h = Math.max(1, Math.ceil(h / 2));
      levels.push([w, h]);
    }
    const made = () => levels.map(([w, h]) => new THREE.WebGLRenderTarget(w, h, half));
    // What is rolled off must be told finely, or it could not be brought back.
    const fine = { type: THREE.FloatType, depthBuffer: false };
    const means = [0, 1, 2, 3].map(() =>
      Object.assign(new THREE.WebGLRenderTarget(width, height, fine), { isMean: true }),
    );
    return [picture, mask, skins, ...means, ...made(), ...made()];
  }

  /** Where the picture's frame lies within the canvas: x, y, width, height in 0..1, from the foot. */
  frameBox(header) {
    return frameBoxIn(this.width, this.height, header);
  }

  /** The pass that carries out effects in their order, made once for each list of their kinds and whether they change all. */
  chain(effects, isLast) {
    const name = `${effects.map((effect) => `${effect.kind}${isLimited(effect) ? " of some" : ""}`)}${isLast ? " last" : ""}`;
    if (!this.chains.has(name)) {
      const parts = effects.map((effect, number) => [limited(effect), `u${number}`]);
      const shared = new Set(parts.map(([one]) => one.shared ?? ""));
      const declarations = [...shared, ...parts.map(([one, prefix]) => one.declarations(prefix))].join("\n");
      const code = parts.map(([one, prefix]) => one.code(prefix)).join("\n");
      const own = Object.assign({}, ...parts.map(([one, prefix]) => one.uniforms(prefix)));
      const screen = isLast
        ? {
            uMask: { value: null },
            uSelected: { value: 0 },
            uChecks: { value: 1 },
            uPixel: { value: new THREE.Vector2() },
          }
        : {};
      const uniforms = { uPicture: { value: null }, ...this.grounds(), ...screen, ...own };
      this.chains.set(name, this.makePass((isLast ? screenFragment : finishFragment)(declarations, code), uniforms));
    }
    return this.chains.get(name);
  }

  feedGround(uniforms, header, hasGround) {
    feedGround(this.shared, header, this.frameBox(header));
    uniforms.uHasGround.value = hasGround ? 1 : 0;
  }

  /**
   * Carry out the finishes of a frame in their order, however many there are, as far as one pass can: the last one is
   * left to be run. A finish that reads more than its own pixel begins a pass of its own.
   */
  finish(picture, header, effects, stage) {
    const lines = this.height * this.frameBox(header)[3];
    let source = picture;
    let hasGround = false;
    let waiting = [];
    if (picture.isMean) {
      const { uniforms } = this.passes.rolledOn;
      uniforms.uPicture.value = picture.texture;
      uniforms.uWhite.value = whiteOf(header);
      this.feedGround(uniforms, header, true);
      source = this.run(this.passes.rolledOn, this.between(picture));
      hasGround = true;
    }
    const passOf = (isLast) => {
      const pass = this.chain(waiting, isLast);
      waiting.forEach((effect, number) => {
        const cover = isLimited(effect) ? this.coverOf(effect, stage) : null;
        const marked = () => this.marked(source, cover, header, hasGround);
        const given = { screen: this, source, lines, header, cover, marked };
        limited(effect).feed(pass.uniforms, `u${number}`, effect, given);
      });
      pass.uniforms.uPicture.value = source.texture;
      this.feedGround(pass.uniforms, header, hasGround);
      return pass;
    };
    this.covers.clear();
    for (const effect of effects) {
      if (FINISHES[effect.kind].gathers && waiting.length) {
        const pass = passOf(false);
        source = this.run(pass, this.between(source));
        hasGround = true;
        waiting = [];
      }
      if (FINISHES[effect.kind].gathers) this.feedGround(this.passes.bright.uniforms, header, hasGround);
      waiting.push(effect);
    }
    return passOf(true);
  }

  /** How much of the picture that a stage has drawn last shows the figures that an effect changes. */
  coverOf(effect, stage) {
    const name = `${effect.acts} ${effect.figures}`;
    if (!this.covers.has(name)) {
      const target = (this.coverTargets[this.covers.size] ??= new THREE.WebGLRenderTarget(2, 2, {
        stencilBuffer: true,
      }));
      target.setSize(this.width, this.height);
      stage.drawCover(this.renderer, target, (figure) => isChanged(effect, figure));
      this.covers.set(name, target);
    }
    return this.covers.get(name);
  }

  /** What of a picture is covered, with the cover as its fourth channel. */
  marked(picture, cover, header, hasGround) {
    const { uniforms } = this.passes.marked;
    uniforms.uPicture.value = picture.texture;
    uniforms.uCover.value = cover.texture;
    this.feedGround(uniforms, header, hasGround);
    this.markedTarget ??= new THREE.WebGLRenderTarget(2, 2, { type: THREE.HalfFloatType, depthBuffer: false });
    this.markedTarget.setSize(this.width, this.height);
    this.passes.bright.uniforms.uHasGround.value = 1;
    return this.run(this.passes.marked, this.markedTarget);
  }

  /** One of two targets for what lies between finishes: the one that is not read. */
  between(source) {
    this.others ??= [0, 1].map(
      () => new THREE.WebGLRenderTarget(2, 2, { type: THREE.HalfFloatType, depthBuffer: false }),
    );
    const target = source === this.others[0] ? this.others[1] : this.others[0];
    target.setSize(this.width, this.height);
    return target;
  }

  /** Return the mean of a picture and of those before it, in one of the two targets that are not `before`; see finish. */
  meanOf(number, before, { means, header }) {
    const { renderer, passes } = this;
    const next = before === means[0] ? means[1] : means[0];
    passes.mean.uniforms.uBefore.value = before.texture;
    passes.mean.uniforms.uPicture.value = this.picture.texture;
    passes.mean.uniforms.uShare.value = 1 / (number + 1);
    passes.mean.uniforms.uWhite.value = whiteOf(header);
    this.feedGround(passes.mean.uniforms, header, false);
    this.run(passes.mean, next);
    renderer.setRenderTarget(null);
    passes.mean.uniforms.uPicture.value = passes.mean.uniforms.uBefore.value = null;
    return next;
  }

  run(pass, target) {
    if (!target) this.fitCanvas();
    this.renderer.setRenderTarget(target);
    this.renderer.render(pass.scene, this.camera);
    return target;
  }

  /**
   * Put a picture of linear light on the screen.
   * @param {number[]} part from where to where of the width, in 0..1
   * @param {Stage} stage that drew it
   * @param {THREE.WebGLRenderTarget|null} target where to put it instead
   */
  show(
    picture,
    header,
    { stage, part = [0, 1], isFinishOff = false, hasOutline = false, hasChecks = true, target = null },
  ) {
    const pass = this.finish(picture, header, isFinishOff ? [] : header.finish.filter(isDrawn), stage);
    const screen = pass.uniforms;
    screen.uChecks.value = hasChecks ? 1 : 0;
    screen.uMask.value = this.mask.texture;
    screen.uSelected.value = hasOutline ? 1 : 0;
    screen.uPixel.value.set(1.2 / this.width, 1.2 / this.height);
    this.within(part, () => this.run(pass, target));
  }

  /** Put a picture on the screen that was shown into a target, or one that came of what is in the frame alone. */
  copy(picture, header) {
    const pass = picture.isFrame ? this.passes.framed : this.passes.copy;
    if (picture.isFrame) feedGround(this.shared, header, this.frameBox(header));
    pass.uniforms.uPicture.value = picture.texture;
    this.run(pass, null);
  }

  clearGhosts() {
    this.renderer.setRenderTarget(this.skins);
    this.renderer.clear();
    this.renderer.setRenderTarget(null);
  }

  /** Put the shape that the mask holds over the other ghosts, faintly: dotted for what was, plain for what comes. */
  ghost(strength, isEarlier) {
    const { uniforms } = this.passes.ghost;
    uniforms.uMask.value = this.mask.texture;
    uniforms.uStrength.value = strength;
    uniforms.uDotted.value = isEarlier ? 1 : 0;
    uniforms.uPixel.value.set(1.2 / this.width, 1.2 / this.height);
    this.run(this.passes.ghost, this.skins);
  }

  /** Put all ghosts over the screen. */
  overlay(part) {
    this.passes.overlay.uniforms.uPicture.value = this.skins.texture;
    this.within(part, () => this.run(this.passes.overlay, null));
  }

  within([from, to], draw) {
    const left = Math.round(from * this.width);
    this.renderer.setScissor(left, 0, Math.round(to * this.width) - left, this.height);
    this.renderer.setScissorTest(true);
    draw();
    this.renderer.setScissorTest(false);
  }

  /** Halve a picture so many times, at first only what of its light is above a knee. */
  halve(picture, knee, count) {
    const { passes, levels } = this;
    passes.bright.uniforms.uPicture.value = picture.texture;
    passes.bright.uniforms.uKnee.value = knee;
    this.run(passes.bright, levels[0]);
    passes.bright.uniforms.uKnee.value = 0;
    passes.bright.uniforms.uHasGround.value = 1;
    for (let k = 1; k < count; k += 1) {
      passes.bright.uniforms.uPicture.value = levels[k - 1].texture;
      this.run(passes.bright, levels[k]);
    }
  }

  /** Double the last of so many halved pictures up to half the size, each time with a share of what was there. */
  double(count, targets, keep, add) {
    const { uniforms } = this.passes.double;
    Object.assign(uniforms.uKeep, { value: keep });
    Object.assign(uniforms.uAdd, { value: add });
    let small = this.levels[count - 1];
    for (let k = count - 2; k >= 0; k -= 1) {
      uniforms.uSmall.value = small.texture;
      uniforms.uLarge.value = keep ? this.levels[k].texture : null;
      small = this.run(this.passes.double, targets[k]);
    }
    return small;
  }

  /** Mix two pictures, so much of the second, into one that stays while others are halved and doubled. */
  kept(first, second, share) {
    const { uniforms } = this.passes.double;
    Object.assign(uniforms.uKeep, { value: 1 - share });
    Object.assign(uniforms.uAdd, { value: share });
    uniforms.uLarge.value = first.texture;
    uniforms.uSmall.value = second.texture;
    this.keptTarget ??= new THREE.WebGLRenderTarget(2, 2, { type: THREE.HalfFloatType, depthBuffer: false });
    this.keptTarget.setSize(this.width, this.height);
    return this.run(this.passes.double, this.keptTarget);
  }

  /** Return the halo of what is brighter than the knee in a picture, over so many halvings. */
  halo(picture, knee, count) {
    this.halve(picture, knee, count);
    return this.double(count, this.sums, 0.5, 0.65);
  }

  /** Return a picture blurred over one halving less than so many (the picture itself for none), and over so many. */
  blurred(picture, count) {
    this.halve(picture, 0, count);
    const wide = this.double(count, this.sums, 0, 1);
    // What was halved on the way is wanted no more.
    return [count > 1 ? this.double(count - 1, this.levels, 0, 1) : picture, wide];
  }
}
