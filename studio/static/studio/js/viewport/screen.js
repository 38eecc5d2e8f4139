// From a picture of linear light to the screen: the mean of several passes, glow, view transform, background, outlines.

import * as THREE from "../../vendor/three/three.module.js";
import {
  BRIGHT_FRAGMENT,
  COPY_FRAGMENT,
  DOUBLE_FRAGMENT,
  GHOST_FRAGMENT,
  MEAN_FRAGMENT,
  SCREEN_FRAGMENT,
  SCREEN_VERTEX,
} from "./screen-shaders.js";

const MAX_LEVELS = 7;
const SIZES_KEPT = 3;
const FINISH_OFF = { strength: 0, gain: 1, filmic: 0, vignette: 0, reach: 1, softness: 1, levels: 0, knee: 1 };

export class Screen {
  constructor(renderer, isSoftware) {
    this.renderer = renderer;
    this.isSoftware = isSoftware;
    this.camera = new THREE.Camera();
    this.sizes = new Map();
    this.passes = this.makePasses();
  }

  makePasses() {
    const pass = (fragment, uniforms, more = {}) => {
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
    };
    const vec = () => ({ value: new THREE.Vector3() });
    const one = (value = 0) => ({ value });
    return {
      bright: pass(BRIGHT_FRAGMENT, { uPicture: one(null), uKnee: one() }),
      mean: pass(MEAN_FRAGMENT, { uPicture: one(null), uBefore: one(null), uShare: one(1) }),
      copy: pass(COPY_FRAGMENT, { uPicture: one(null) }),
      overlay: pass(COPY_FRAGMENT, { uPicture: one(null) }, { transparent: true, premultipliedAlpha: true }),
      double: pass(DOUBLE_FRAGMENT, { uSmall: one(null), uLarge: one(null) }),
      ghost: pass(
        GHOST_FRAGMENT,
        { uMask: one(null), uStrength: one(1), uDotted: one(), uPixel: { value: new THREE.Vector2() } },
        { transparent: true },
      ),
      screen: pass(SCREEN_FRAGMENT, {
        uPicture: one(null),
        uHalo: one(null),
        uMask: one(null),
        uHaloStrength: one(),
        uGain: one(1),
        uFilmic: one(),
        uVignette: one(),
        uReach: one(1),
        uSoftness: one(1),
        uSelected: one(),
        uChecks: one(1),
        uTop: vec(),
        uBottom: vec(),
        uBackground: one(),
        uFrame: { value: new THREE.Vector4(0, 0, 1, 1) },
        uPixel: { value: new THREE.Vector2() },
      }),
    };
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
      samples: this.isSoftware ? 0 : 4,
    });
    const mask = new THREE.WebGLRenderTarget(width, height, {
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
    const means = [0, 1, 2, 3].map(() => new THREE.WebGLRenderTarget(width, height, half));
    return [picture, mask, skins, ...means, ...made(), ...made()];
  }

  /** Where the picture's frame lies within the canvas: x, y, width, height in 0..1, from the foot. */
  frameBox({ background }) {
    const aspect = background.width / background.height;
    const wide = this.width / this.height > aspect;
    const w = wide ? (this.height * aspect) / this.width : 1;
    const h = wide ? 1 : this.width / aspect / this.height;
    return [(1 - w) / 2, (1 - h) / 2, w, h];
  }

  finishSettings(header, isOff) {
    const found = { ...FINISH_OFF };
    if (isOff) return found;
    for (const effect of header.finish) {
      if (effect.kind === "glow") {
        const lines = this.height * this.frameBox(header)[3];
        found.levels = Math.max(
          1,
          Math.min(MAX_LEVELS, Math.round(Math.log2(Math.max(lines, 8)) - 5.1 + effect.size * 4)),
        );
        found.strength = effect.strength;
        found.knee = effect.above;
      } else if (effect.kind === "vignette")
        Object.assign(found, {
          vignette: effect.strength,
          reach: effect.reach,
          softness: Math.max(effect.softness, 1e-3),
        });
      else if (effect.kind === "exposure")
        Object.assign(found, { gain: 2 ** effect.stops, filmic: effect.transform === "filmic" ? 1 : 0 });
    }
    return found;
  }

  /** Return the mean of a picture and of those before it, in one of the two targets that are not `before`. */
  meanOf(number, before, means) {
    const { renderer, passes } = this;
    const next = before === means[0] ? means[1] : means[0];
    passes.mean.uniforms.uBefore.value = before.texture;
    passes.mean.uniforms.uPicture.value = this.picture.texture;
    passes.mean.uniforms.uShare.value = 1 / (number + 1);
    this.run(passes.mean, next);
    renderer.setRenderTarget(null);
    passes.mean.uniforms.uPicture.value = passes.mean.uniforms.uBefore.value = null;
    return next;
  }

  run(pass, target) {
    this.renderer.setRenderTarget(target);
    this.renderer.render(pass.scene, this.camera);
  }

  /**
   * Put a picture of linear light on the screen.
   * @param {number[]} part from where to where of the width, in 0..1
   * @param {THREE.WebGLRenderTarget|null} target where to put it instead
   */
  show(
    picture,
    header,
    { part = [0, 1], isFinishOff = false, hasOutline = false, hasChecks = true, target = null } = {},
  ) {
    const { background } = header;
    const finish = this.finishSettings(header, isFinishOff);
    this.halo(finish, picture);
    const screen = this.passes.screen.uniforms;
    screen.uPicture.value = picture.texture;
    screen.uHalo.value = (finish.levels > 1 ? this.sums : this.levels)[0].texture;
    screen.uHaloStrength.value = finish.levels ? finish.strength : 0;
    screen.uGain.value = finish.gain;
    screen.uFilmic.value = finish.filmic;
    screen.uVignette.value = finish.vignette;
    screen.uReach.value = finish.reach;
    screen.uSoftness.value = finish.softness;
    screen.uFrame.value.set(...this.frameBox(header));
    screen.uTop.value.fromArray(background.colour);
    screen.uBottom.value.fromArray(background.bottom);
    screen.uBackground.value = ["solid", "gradient", "transparent"].indexOf(background.background);
    screen.uChecks.value = hasChecks ? 1 : 0;
    screen.uMask.value = this.mask.texture;
    screen.uSelected.value = hasOutline ? 1 : 0;
    screen.uPixel.value.set(1.2 / this.width, 1.2 / this.height);
    this.within(part, () => this.run(this.passes.screen, target));
  }

  /** Put a picture on the screen that was shown into a target, in the canvas's size. */
  copy(picture) {
    this.passes.copy.uniforms.uPicture.value = picture.texture;
    this.run(this.passes.copy, null);
  }

  clearGhosts() {
    this.renderer.setRenderTarget(this.skins);
    this.renderer.clear();
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

  halo(finish, picture) {
    const { passes, levels, sums } = this;
    if (!finish.levels) return;
    for (let k = 0; k < finish.levels; k += 1) {
      passes.bright.uniforms.uPicture.value = k ? levels[k - 1].texture : picture.texture;
      passes.bright.uniforms.uKnee.value = k ? 0 : finish.knee;
      this.run(passes.bright, levels[k]);
    }
    let small = levels[finish.levels - 1];
    for (let k = finish.levels - 2; k >= 0; k -= 1) {
      passes.double.uniforms.uSmall.value = small.texture;
      passes.double.uniforms.uLarge.value = levels[k].texture;
      this.run(passes.double, sums[k]);
      small = sums[k];
    }
  }
}
