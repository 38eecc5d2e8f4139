// What is drawn of one frame: an object for each look of each drawable, kept from frame to frame.

import { cross, scaled, sunWay, unit } from "../lib/vectors.js";
import * as THREE from "../../vendor/three/three.module.min.js";
import { aroundUniforms, feedAround, panoramaOf } from "./around.js";
import { whiteOf } from "./bright.js";
import { feedGround, groundUniforms } from "./ground.js";
import { DrawnMask, DrawnStroke, DrawnSurface } from "./drawn.js";
import { MergedSurface, isMerged } from "./merged.js";
import { shadowUniforms } from "./shadows.js";

// Half of the uniforms that every card has room for; what is beyond is told of (see near.js).
export const MAX_LIGHTS = 40;
const MASKED = 255;
// So many bits has the stencil, one for each figure that others are cut by.
export const MAX_MASKS = 8;

/** The figures that others are cut by, in the order of their bits. */
export function maskNames(header) {
  return [...new Set(header.drawables.filter((one) => one.cut).map((one) => one.cut[1]))];
}

/** The uniforms that everything in the view shares: the camera, the lights, and where in a pixel a pass draws. */
export function sharedUniforms() {
  const lights = () => ({ value: Array.from({ length: MAX_LIGHTS }, () => new THREE.Vector4()) });
  const vec = () => ({ value: new THREE.Vector3() });
  const vec2 = () => ({ value: new THREE.Vector2() });
  return {
    uEye: vec(),
    uRight: vec(),
    uUp: vec(),
    uForward: vec(),
    uTangent: vec2(),
    uSize: vec2(),
    uFocal: { value: 1 },
    uWhite: { value: 1 },
    uJitter: vec2(),
    uPhase: { value: 0.5 },
    ...groundUniforms(),
    ...aroundUniforms(),
    uSunWay: lights(),
    uSunColour: lights(),
    uKeyPlace: lights(),
    uKeyColour: lights(),
    uKeySoft: { value: new Array(MAX_LIGHTS).fill(0) },
    uKeySlot: { value: new Array(MAX_LIGHTS).fill(-1) },
    ...shadowUniforms(),
  };
}

export class Stage {
  constructor(shared) {
    this.shared = shared;
    this.scene = new THREE.Scene();
    this.camera = new THREE.Camera();
    this.drawn = new Map();
    this.masks = new Map();
  }

  /** Set the shared uniforms for a frame as it is seen; returns what looks need to know of it. */
  aim(header, buffers, view, screen, { isFlat, shadows }) {
    const { shared } = this;
    screen.view = view;
    const box = screen.frameBox(header);
    const tangentX = view.tangent / box[2];
    shared.uEye.value.fromArray(view.position);
    shared.uForward.value.fromArray(view.forward);
    shared.uUp.value.fromArray(view.up);
    shared.uRight.value.fromArray(unit(cross(view.forward, view.up)));
    shared.uTangent.value.set(tangentX, (tangentX * screen.height) / screen.width);
    shared.uSize.value.set(screen.width, screen.height);
    shared.uFocal.value = screen.width / 2 / tangentX;
    shared.uWhite.value = whiteOf(header);
    feedGround(shared, header, box);
    feedAround(shared, header, buffers);
    return {
      ...this.feedLights(header.lights, shadows),
      scale: screen.height * box[3],
      focal: shared.uFocal.value,
      isFlat,
      hasHaze: header.background.haze > 0 && !isFlat,
      panorama: panoramaOf(header),
    };
  }

  /** Set the lights; `thrown` are those whose shadows are drawn, after the first `skies` places for those of the sky. */
  feedLights(all, { thrown, skies }) {
    const { shared } = this;
    let suns = 0;
    let keys = 0;
    const slotOf = (light) => (thrown.includes(light) ? thrown.indexOf(light) + skies : -1);
    for (const light of all) {
      if (light.kind === "sun" && suns < MAX_LIGHTS) {
        shared.uSunWay.value[suns].set(...sunWay(light), slotOf(light));
        shared.uSunColour.value[suns].set(...scaled(light.colour, light.brightness), 0);
        suns += 1;
      } else if (light.kind === "key" && keys < MAX_LIGHTS) {
        shared.uKeyPlace.value[keys].set(...light.position, light.width);
        shared.uKeyColour.value[keys].set(...scaled(light.colour, light.brightness), light.reach);
        shared.uKeySoft.value[keys] = (light.soft ?? 0) ** 2;
        shared.uKeySlot.value[keys] = slotOf(light);
        keys += 1;
      }
    }
    return { suns, keys, lights: all, skies, shadows: thrown.length + skies };
  }

  /** Take a frame's drawables, all or those of some figures only. */
  feed(header, buffers, measures, figures = null) {
    const wanted = new Set();
    const bits = maskNames(header).slice(0, MAX_MASKS);
    this.feedMasks(header, buffers, bits);
    let salt = 0;
    for (const one of header.drawables) {
      if (figures && !figures.has(one.figure)) continue;
      for (const [index, look] of one.looks.entries()) {
        const sorts = [
          look.kind,
          look.blend,
          look.texture ? (look.texture.pattern ? "patterned" : "painted") : "",
          isMerged(one, look) ? "merged" : "",
          look.through ? "clear" : "",
        ];
        const name = `${one.figure} ${one.part} ${index} ${sorts.join(" ")}`;
        wanted.add(name);
        const drawn = this.drawn.get(name) ?? this.make(name, one, look);
        drawn.feed(one, look, buffers, measures);
        const bit = one.cut ? bits.indexOf(one.cut[1]) : -1;
        drawn.cut(bit < 0 ? null : { bit, isThrough: one.cut[0] === "only through" });
        if (look.kind !== "surface" || look.blend !== "normal") continue;
        drawn.material.uniforms.uSalt.value = salt;
        salt += one.count;
      }
    }
    for (const name of this.drawn.keys()) if (!wanted.has(name)) this.drop(name);
  }

  /** Take what figures are cut by. */
  feedMasks(header, buffers, bits) {
    const wanted = new Set();
    for (const [bit, figure] of bits.entries())
      for (const one of header.masks[figure] ?? []) {
        const name = `${figure} ${one.part} ${bit}`;
        wanted.add(name);
        if (!this.masks.has(name)) {
          this.masks.set(name, new DrawnMask(this.shared, bit));
          this.scene.add(this.masks.get(name).mesh);
        }
        this.masks.get(name).feedShape(one, {}, buffers);
      }
    for (const name of this.masks.keys()) if (!wanted.has(name)) this.drop(name, this.masks);
  }

  /** Whether any surface is seen through. */
  get hasLayers() {
    return [...this.drawn.values()].some(
      ({ material }) => "OPEN" in material.defines && !("ADDITIVE" in material.defines),
    );
  }

  make(name, one, look) {
    const Kind = look.kind !== "surface" ? DrawnStroke : isMerged(one, look) ? MergedSurface : DrawnSurface;
    const made = new Kind(this.shared, look);
    made.figure = one.figure;
    this.drawn.set(name, made);
    this.scene.add(made.mesh);
    return made;
  }

  drop(name, from = this.drawn) {
    const drawn = from.get(name);
    this.scene.remove(drawn.mesh);
    drawn.dispose();
    from.delete(name);
  }

  clear() {
    for (const all of [this.drawn, this.masks]) for (const name of [...all.keys()]) this.drop(name, all);
  }

  draw(renderer, target) {
    renderer.setRenderTarget(target);
    renderer.clear();
    renderer.render(this.scene, this.camera);
  }

  /** Draw what throws shadows, of the figures that a light shines on, as that light sees it. */
  drawThrown(renderer, target, isLit) {
    for (const drawn of this.drawn.values()) {
      drawn.mesh.visible = Boolean(drawn.throws) && isLit(drawn.figure);
      if (drawn.mesh.visible) drawn.mesh.material = drawn.casting;
    }
    this.draw(renderer, target);
    for (const drawn of this.drawn.values()) {
      drawn.mesh.visible = true;
      drawn.mesh.material = drawn.shown;
    }
  }

  /** Draw all figures as numbers, to pick one; returns their ids in the order of the numbers from 1. */
  drawIds(renderer, target) {
    const ids = [...new Set([...this.drawn.values()].map((drawn) => drawn.figure))];
    this.drawPlain(renderer, target, (figure) => ids.indexOf(figure) + 1);
    return ids;
  }

  /** Draw the shape of some figures, or of all; returns whether there was any. */
  drawMask(renderer, target, only = null) {
    return this.drawPlain(renderer, target, (figure) => (only === null || only.has(figure) ? MASKED : null));
  }

  /** Draw how much of the picture shows some figures: what stands before them hides them, what only adds light does not. */
  drawCover(renderer, target, isIn) {
    const hides = ({ material }) => !("ADDITIVE" in material.defines);
    if (this.drawPlain(renderer, target, (figure, drawn) => (isIn(figure) ? MASKED : hides(drawn) ? 0 : null))) return;
    renderer.setRenderTarget(target);
    renderer.clear();
  }

  /** Draw all things as numbers; those that have none are left out. Returns whether there was any. */
  drawPlain(renderer, target, numberOf) {
    let found = false;
    for (const drawn of this.drawn.values()) {
      const number = numberOf(drawn.figure, drawn);
      drawn.mesh.visible = number !== null;
      found ||= number !== null;
      drawn.material.uniforms.uPick.value = number;
      drawn.mesh.material = drawn.picking;
    }
    if (found) this.draw(renderer, target);
    for (const drawn of this.drawn.values()) {
      drawn.mesh.visible = true;
      drawn.mesh.material = drawn.shown;
    }
    return found;
  }
}
