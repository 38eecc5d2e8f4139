// The three.js objects of one drawable's look: made once, fed with the buffers of each frame.

import * as THREE from "../../vendor/three/three.module.min.js";
import { shinesOn, skyOver } from "./lights.js";
import { feedPattern, patternUniforms } from "./pattern.js";
import { STROKE_FRAGMENT, STROKE_VERTEX, SURFACE_FRAGMENT, SURFACE_VERTEX } from "./shaders.js";

const TEXTURE_WIDTH = 2048;
const REFERENCE_LINES = 1080;
const SURFACE_LIFT_PX = 2;
// How what is drawn is laid over what is there: factors of both, and of their alphas.
const laid = (blendSrc, blendDst, blendSrcAlpha = null, blendDstAlpha = null) => ({
  blending: THREE.CustomBlending,
  blendEquation: THREE.AddEquation,
  blendSrc,
  blendDst,
  blendSrcAlpha,
  blendDstAlpha,
  transparent: true,
});
const OVER = laid(THREE.OneFactor, THREE.OneMinusSrcAlphaFactor);
const ADDITIVE = {
  ...laid(THREE.OneFactor, THREE.OneFactor, THREE.ZeroFactor, THREE.OneFactor),
  depthWrite: false,
};
// Of what is clear: what is behind is dimmed first, then its own light is added.
const VEIL = {
  ...laid(THREE.ZeroFactor, THREE.SrcColorFactor, THREE.ZeroFactor, THREE.OneFactor),
  depthWrite: false,
};
const ON_VEIL = laid(THREE.OneFactor, THREE.OneFactor, THREE.OneFactor, THREE.OneMinusSrcAlphaFactor);
const EVERY_BIT = 255;

/** Return an integer texture that holds items of some components, rows of 2048. */
function dataTexture(array, components, format, type, internal) {
  const count = array.length / components;
  const height = Math.max(1, Math.ceil(count / TEXTURE_WIDTH));
  const width = height > 1 ? TEXTURE_WIDTH : Math.max(1, Math.min(TEXTURE_WIDTH, count));
  const padded = new array.constructor(TEXTURE_WIDTH * height * components);
  padded.set(array);
  const texture = new THREE.DataTexture(padded, TEXTURE_WIDTH, height, format, type);
  texture.internalFormat = internal;
  texture.unpackAlignment = 2;
  texture.needsUpdate = true;
  texture.userData = { width };
  return texture;
}

const BEYOND = {
  repeat: THREE.RepeatWrapping,
  mirror: THREE.MirroredRepeatWrapping,
  "its edge": THREE.ClampToEdgeWrapping,
};

/** Return a picture with all its sizes as a texture; light is linear where it is sampled. */
function pictureTexture(texels, sizes, beyond) {
  let start = 0;
  const mipmaps = sizes.map(([width, height]) => {
    const data = texels.subarray(start, (start += width * height * 4));
    return { data, width, height };
  });
  const texture = new THREE.DataTexture(mipmaps[0].data, ...sizes[0], THREE.RGBAFormat, THREE.UnsignedByteType);
  texture.mipmaps = mipmaps;
  texture.colorSpace = THREE.SRGBColorSpace;
  texture.magFilter = THREE.LinearFilter;
  texture.minFilter = THREE.LinearMipmapLinearFilter;
  texture.wrapS = texture.wrapT = BEYOND[beyond];
  texture.needsUpdate = true;
  return texture;
}

/** Return the rows of an array, `size` numbers each, that an index names. */
function taken(array, size, index) {
  const out = new array.constructor(index.length * size);
  for (let k = 0; k < index.length; k += 1)
    for (let c = 0; c < size; c += 1) out[k * size + c] = array[index[k] * size + c];
  return out;
}

class Drawn {
  constructor(uniforms, vertex, fragment, isAdditive, isCovering, always = {}) {
    this.keys = {};
    this.always = isAdditive ? { ...always, ADDITIVE: 1 } : always;
    this.geometry = new THREE.InstancedBufferGeometry();
    this.material = new THREE.RawShaderMaterial({
      glslVersion: THREE.GLSL3,
      vertexShader: vertex,
      fragmentShader: fragment,
      uniforms,
      defines: { SUNS: 0, KEYS: 0, ...this.always },
      side: THREE.DoubleSide,
      ...(isAdditive ? ADDITIVE : isCovering ? {} : OVER),
    });
    this.picking = new THREE.RawShaderMaterial({
      glslVersion: THREE.GLSL3,
      vertexShader: vertex,
      fragmentShader: fragment,
      uniforms,
      defines: { ...always, PICK: 1 },
      side: THREE.DoubleSide,
      blending: THREE.NoBlending,
    });
    this.mesh = new THREE.Mesh(this.geometry, this.material);
    this.mesh.frustumCulled = false;
  }

  /** What it is drawn with in the picture. */
  get shown() {
    return this.material;
  }

  /** Draw it only where the stencil has a bit (`isThrough`) or has it not, or everywhere (null). */
  cut(by) {
    const only = by && {
      stencilFunc: by.isThrough ? THREE.EqualStencilFunc : THREE.NotEqualStencilFunc,
      stencilFuncMask: 1 << by.bit,
      stencilRef: EVERY_BIT,
      stencilWriteMask: 0,
    };
    for (const material of [this.material, this.picking, this.veil])
      if (material) Object.assign(material, { stencilWrite: Boolean(by), ...only });
  }

  /** Compile the shader for other names; nothing happens when they are those of before. */
  define(names) {
    const defines = { ...names, ...this.always };
    if (JSON.stringify(defines) === this.defined) return;
    this.defined = JSON.stringify(defines);
    this.material.defines = defines;
    this.material.needsUpdate = true;
  }

  /** Run `feed` only when a buffer's key is another than before. */
  fed(name, key, feed) {
    if (this.keys[name] === key) return;
    this.keys[name] = key;
    feed();
  }

  /** Put an array into an attribute, into the same memory where it fits. */
  attribute(name, array, size, { instanced = false, normalized = false } = {}) {
    const old = this.geometry.getAttribute(name);
    if (
      old &&
      old.array.length === array.length &&
      old.array.constructor === array.constructor &&
      !old.isInterleavedBufferAttribute
    ) {
      old.array.set(array);
      old.needsUpdate = true;
      return;
    }
    const Kind = instanced ? THREE.InstancedBufferAttribute : THREE.BufferAttribute;
    const made = new Kind(array.slice(), size, normalized);
    made.setUsage(THREE.DynamicDrawUsage);
    if (old) this.refresh();
    this.geometry.setAttribute(name, made);
  }

  /** Return the array of an attribute of so many rows, to be written anew. */
  floats(name, count, size) {
    const old = this.geometry.getAttribute(name);
    if (old && old.array.length === count * size) {
      old.needsUpdate = true;
      return old.array;
    }
    if (old) this.refresh();
    const made = new THREE.BufferAttribute(new Float32Array(count * size), size);
    made.setUsage(THREE.DynamicDrawUsage);
    this.geometry.setAttribute(name, made);
    return made.array;
  }

  index(array) {
    if (this.geometry.index) this.refresh();
    this.geometry.setIndex(new THREE.BufferAttribute(array, 1));
  }

  /** Buffers of another size need a geometry of their own; the old one is given back. */
  refresh() {
    const next = new THREE.InstancedBufferGeometry();
    for (const [name, attribute] of Object.entries(this.geometry.attributes)) next.setAttribute(name, attribute);
    next.setIndex(this.geometry.index);
    next.instanceCount = this.geometry.instanceCount;
    for (const { start, count, materialIndex } of this.geometry.groups) next.addGroup(start, count, materialIndex);
    this.geometry.dispose();
    this.geometry = this.mesh.geometry = next;
  }

  /** Feed tints: five numbers for each copy or point (colour, opacity, glow), or ones where there are none. */
  tints(names, key, buffers, count, instanced, index = null) {
    this.fed(names[0], key ?? `plain ${count}`, () => {
      const plain = key ? buffers.get(key) : new Float32Array(count * 5).fill(1);
      const array = index ? taken(plain, 5, index) : plain;
      this.isOpen ??= {};
      this.isOpen[names[0]] = Boolean(key) && array.some((value, k) => k % 5 === 3 && value < 1);
      const old = this.geometry.getAttribute(names[0])?.data;
      if (old && old.array.length === array.length) {
        old.array.set(array);
        old.needsUpdate = true;
        return;
      }
      if (old) this.refresh();
      const rows = instanced
        ? new THREE.InstancedInterleavedBuffer(array.slice(), 5)
        : new THREE.InterleavedBuffer(array.slice(), 5);
      rows.setUsage(THREE.DynamicDrawUsage);
      this.geometry.setAttribute(names[0], new THREE.InterleavedBufferAttribute(rows, 4, 0));
      this.geometry.setAttribute(names[1], new THREE.InterleavedBufferAttribute(rows, 1, 4));
    });
  }

  places(one, look, buffers) {
    this.tints(["tint", "gain"], look.tints, buffers, one.count, true);
    this.fed("matrices", one.matrices, () => {
      const array = buffers.get(one.matrices);
      const old = this.rows;
      if (old && old.array.length === array.length) {
        old.array.set(array);
        old.needsUpdate = true;
      } else {
        if (old) this.refresh();
        this.rows = new THREE.InstancedInterleavedBuffer(array.slice(), 12);
        this.rows.setUsage(THREE.DynamicDrawUsage);
        for (let row = 0; row < 3; row += 1)
          this.geometry.setAttribute(`row${row}`, new THREE.InterleavedBufferAttribute(this.rows, 4, row * 4));
      }
      this.geometry.instanceCount = one.count;
    });
    const { uniforms } = this.material;
    uniforms.uLow.value.fromArray(one.low);
    uniforms.uExtent.value.fromArray(one.high).sub(uniforms.uLow.value);
  }

  dispose() {
    this.geometry.dispose();
    this.material.dispose();
    this.picking.dispose();
    for (const name of ["uPoints", "uEdges", "uPointTints", "uPointWidths", "uTexture"])
      this.material.uniforms[name]?.value?.dispose();
  }
}

export class DrawnSurface extends Drawn {
  constructor(shared, look, always = {}) {
    const own = {
      uLow: { value: new THREE.Vector3() },
      uExtent: { value: new THREE.Vector3() },
      uColour: { value: new THREE.Vector3() },
      uPointCount: { value: 1 },
      uGlow: { value: new THREE.Vector3() },
      uRough: { value: 0.5 },
      uMetal: { value: 0 },
      uBrightness: { value: 1 },
      uPick: { value: 0 },
      uSalt: { value: 0 },
      uTexture: { value: null },
      uPainted: { value: new THREE.Vector3() },
      ...patternUniforms(),
      uAcross: { value: new THREE.Vector3() },
      uUpwards: { value: new THREE.Vector3() },
      uTakes: { value: 1 },
      uAroundLit: { value: 0 },
      uSky: { value: [0, 1, 2].map(() => new THREE.Vector3()) },
      uSunLit: { value: [] },
      uKeyLit: { value: [] },
      uClear: { value: new THREE.Vector4() },
      uThrough: { value: new THREE.Vector3() },
      uWax: { value: 0 },
      uNearSide: { value: new THREE.Vector3() },
      uFarSide: { value: new THREE.Vector3() },
      uClosed: { value: 0 },
    };
    super({ ...shared, ...own }, SURFACE_VERTEX, SURFACE_FRAGMENT, look.blend === "additive", true, always);
    this.mesh.renderOrder = look.blend === "additive" ? 2 : 0;
    if (look.through) this.makeClear();
  }

  /** What it is drawn with in the picture. */
  get shown() {
    return this.veil ? [this.veil, this.material] : this.material;
  }

  makeClear() {
    this.always = { ...this.always, CLEAR: 1 };
    Object.assign(this.material, ON_VEIL);
    this.veil = this.material.clone();
    this.veil.uniforms = this.material.uniforms;
    Object.assign(this.veil, VEIL);
    for (const number of [0, 1]) this.geometry.addGroup(0, Infinity, number);
    this.mesh.material = this.shown;
  }

  /** What it is drawn with where a light sees it. */
  get casting() {
    const isOpen = Boolean(this.isOpen.tint || this.isOpen.pointTint);
    if (this.caster && "OPEN" in this.caster.defines === isOpen) return this.caster;
    this.caster?.dispose();
    this.caster = new THREE.RawShaderMaterial({
      glslVersion: THREE.GLSL3,
      vertexShader: SURFACE_VERTEX,
      fragmentShader: SURFACE_FRAGMENT,
      uniforms: this.material.uniforms,
      defines: { ...this.always, CAST: 1, ...(isOpen ? { OPEN: 1 } : {}) },
      side: THREE.DoubleSide,
      blending: THREE.NoBlending,
    });
    return this.caster;
  }

  define(names) {
    super.define(names);
    if (!this.veil || this.veil.userData.defined === this.defined) return;
    this.veil.userData.defined = this.defined;
    this.veil.defines = { ...this.material.defines, VEIL: 1 };
    this.veil.needsUpdate = true;
  }

  dispose() {
    super.dispose();
    this.caster?.dispose();
    this.veil?.dispose();
  }

  /** Take which lights shine on it, and whether it throws and takes shadows. */
  feedLights(one, look, { suns, keys, lights, panorama }) {
    const { uniforms } = this.material;
    skyOver(lights, one.figure).forEach((colour, row) => uniforms.uSky.value[row].fromArray(colour));
    uniforms.uAroundLit.value = panorama && shinesOn(panorama, one.figure) ? 1 : 0;
    this.throws = look.blend === "normal" && look.throws && !look.through && !look.sides;
    uniforms.uTakes.value = look.takes ? 1 : 0;
    const isChosen = lights.some((light) => light.shines !== "on all");
    const litBy = (kind, count) =>
      lights
        .filter((light) => light.kind === kind)
        .slice(0, count)
        .map((light) => (shinesOn(light, one.figure) ? 1 : 0));
    if (isChosen) [uniforms.uSunLit.value, uniforms.uKeyLit.value] = [litBy("sun", suns), litBy("key", keys)];
    return isChosen;
  }

  feed(one, look, buffers, measures) {
    const { suns, keys, isFlat, shadows, skies, hasHaze, panorama } = measures;
    this.feedShape(one, look, buffers);
    const isChosen = this.feedLights(one, look, measures);
    const { uniforms } = this.material;
    uniforms.uColour.value.fromArray(look.colour);
    uniforms.uGlow.value.fromArray(look.glow_colour).multiplyScalar(look.glow);
    uniforms.uRough.value = look.roughness;
    uniforms.uMetal.value = look.metal;
    uniforms.uBrightness.value = look.brightness;
    if (look.through) {
      const { clear, index, rim_clear: rimClear, rim_index: rimIndex, facing } = look;
      uniforms.uClear.value.set(clear, index, clear + facing * (rimClear - clear), index + facing * (rimIndex - index));
      uniforms.uThrough.value.fromArray(look.through);
      uniforms.uClosed.value = look.closed ? 1 : 0;
    }
    if (look.sides) {
      uniforms.uWax.value = look.wax * (1 - look.metal);
      [uniforms.uNearSide, uniforms.uFarSide].forEach((side, k) => side.value.fromArray(look.sides[k]));
    }
    const isOpen = this.isOpen.tint || this.isOpen.pointTint || (look.texture && look.painted.includes("opacity"));
    const facets = look.shading === "as the form" ? one.flat : look.shading === "flat";
    this.define({
      SUNS: suns,
      KEYS: keys,
      ...(facets ? { FLAT_FACES: 1 } : {}),
      ...(isOpen ? { OPEN: 1 } : {}),
      ...(one.reach ? { REACH: 1 } : {}),
      ...(look.glow > 0 ? { GLOWS: 1 } : {}),
      ...(look.sides ? { WAX: 1 } : {}),
      ...(look.texture ? { PAINT: 1 } : {}),
      ...(look.texture?.pattern ? { PATTERN: look.texture.pattern.salts.length } : {}),
      ...(isFlat ? { FLAT_LIGHT: 1 } : {}),
      ...(hasHaze ? { HAZE: 1 } : {}),
      ...(panorama ? { AROUND: 1 } : {}),
      ...(isChosen ? { CHOSEN: 1 } : {}),
      ...(shadows && look.blend === "normal" ? { SHADOWS: shadows, SKIES: skies } : {}),
    });
  }

  feedShape(one, look, buffers) {
    this.places(one, look, buffers);
    // What a picture lies on has corners of its own for every triangle, as points may lie in several places of it.
    const index = look.texture ? buffers.get(one.triangles) : null;
    const ofPoints = (array, size) => (index ? taken(array, size, index) : array);
    if (index && one.triangles !== this.keys.triangles)
      this.keys = { matrices: this.keys.matrices, tint: this.keys.tint };
    this.fed("points", one.points, () => {
      const packed = buffers.get(one.points);
      this.attribute("place", ofPoints(packed.subarray(0, one.pointCount * 4), 4), 4, { normalized: true });
      this.attribute("fold", ofPoints(packed.subarray(one.pointCount * 4), 2), 2, { normalized: true });
    });
    this.fed("triangles", one.triangles, () => {
      if (!index) this.index(buffers.get(one.triangles));
    });
    this.tints(["pointTint", "pointGain"], look.pointTints, buffers, one.pointCount, false, index);
    const isMany = one.count > 1;
    this.fed("reach", `${one.reach} ${isMany} ${isMany ? one.count : one.pointCount}`, () => {
      if (this.geometry.getAttribute("reach")) this.geometry.deleteAttribute("reach");
      this.refresh();
      const reach = one.reach ? buffers.get(one.reach) : new Uint8Array(isMany ? one.count : one.pointCount);
      this.attribute("reach", isMany ? reach : ofPoints(reach, 1), 1, { instanced: isMany, normalized: true });
    });
    if (!index) return;
    this.paint(look, buffers);
    this.geometry.setDrawRange(0, index.length);
  }

  paint(look, buffers) {
    const { uniforms } = this.material;
    const { texels, sizes, uvs, matrix, beyond, pattern } = look.texture;
    this.fed("uvs", `${uvs} ${this.keys.triangles}`, () => this.attribute("uv", buffers.get(uvs), pattern ? 3 : 2));
    if (pattern) feedPattern(uniforms, pattern);
    this.fed("texels", `${texels} ${beyond}`, () => {
      uniforms.uTexture.value?.dispose();
      uniforms.uTexture.value = pictureTexture(buffers.get(texels), sizes, beyond);
    });
    uniforms.uAcross.value.fromArray(matrix);
    uniforms.uUpwards.value.fromArray(matrix, 3);
    uniforms.uPainted.value.set(...["colour", "glow", "opacity"].map((one) => (look.painted.includes(one) ? 1 : 0)));
  }
}

/** What others are cut by: it is drawn into a bit of the stencil, wherever it stands. */
export class DrawnMask extends DrawnSurface {
  constructor(shared, bit) {
    super(shared, { blend: "normal" });
    Object.assign(this.picking, {
      colorWrite: false,
      depthWrite: false,
      depthTest: false,
      stencilWrite: true,
      stencilWriteMask: 1 << bit,
      stencilRef: EVERY_BIT,
      stencilZPass: THREE.ReplaceStencilOp,
    });
    this.mesh.material = this.picking;
    this.mesh.renderOrder = -1;
  }
}

export class DrawnStroke extends Drawn {
  constructor(shared, look) {
    const isDots = look.kind === "dots";
    const own = {
      uLow: { value: new THREE.Vector3() },
      uExtent: { value: new THREE.Vector3() },
      uColour: { value: new THREE.Vector3() },
      uPoints: { value: null },
      uEdges: { value: null },
      uHalf: { value: 1 },
      uUnits: { value: 0 },
      uLift: { value: 0 },
      uDots: { value: isDots ? 1 : 0 },
      uPointTints: { value: null },
      uHasPointTints: { value: 0 },
      uPointWidths: { value: null },
      uHasPointWidths: { value: 0 },
      uSoft: { value: 0 },
      uPick: { value: 0 },
    };
    super({ ...shared, ...own }, STROKE_VERTEX, STROKE_FRAGMENT, look.blend === "additive", false);
    this.mesh.renderOrder = look.blend === "additive" ? 3 : 1;
    this.isDots = isDots;
  }

  feed(one, look, buffers, { scale, focal, hasHaze, panorama }) {
    this.places(one, look, buffers);
    this.define(hasHaze ? { HAZE: 1, ...(panorama ? { AROUND: 1 } : {}) } : {});
    const { uniforms } = this.material;
    this.fed("points", one.points, () => {
      const packed = buffers.get(one.points).subarray(0, one.pointCount * 4);
      const old = uniforms.uPoints.value;
      if (old && old.image.data.length === TEXTURE_WIDTH * Math.max(1, Math.ceil(one.pointCount / TEXTURE_WIDTH)) * 4) {
        old.image.data.set(packed);
        old.needsUpdate = true;
      } else {
        old?.dispose();
        uniforms.uPoints.value = dataTexture(packed, 4, THREE.RGBAIntegerFormat, THREE.UnsignedShortType, "RGBA16UI");
        // Dots read no edges, but the sampler must hold a texture of whole numbers all the same.
        if (this.isDots) uniforms.uEdges.value = uniforms.uPoints.value;
      }
    });
    this.fed("pointTints", look.pointTints ?? "plain", () => {
      uniforms.uPointTints.value?.dispose();
      uniforms.uHasPointTints.value = look.pointTints ? 1 : 0;
      const rows = look.pointTints ? buffers.get(look.pointTints) : new Float32Array(5).fill(1);
      const colours = new Float32Array((rows.length / 5) * 4);
      for (let k = 0; k < rows.length / 5; k += 1) {
        for (let c = 0; c < 3; c += 1) colours[k * 4 + c] = rows[k * 5 + c] * rows[k * 5 + 4];
        colours[k * 4 + 3] = rows[k * 5 + 3];
      }
      uniforms.uPointTints.value = dataTexture(colours, 4, THREE.RGBAFormat, THREE.FloatType, "RGBA32F");
    });
    this.fed("pointWidths", look.pointWidths ?? "plain", () => {
      uniforms.uPointWidths.value?.dispose();
      uniforms.uHasPointWidths.value = look.pointWidths ? 1 : 0;
      const rows = look.pointWidths ? buffers.get(look.pointWidths) : new Float32Array(1).fill(1);
      uniforms.uPointWidths.value = dataTexture(rows, 1, THREE.RedFormat, THREE.FloatType, "R32F");
    });
    this.fed("widths", `${look.widths} ${one.count}`, () => {
      const widths = look.widths ? buffers.get(look.widths) : new Float32Array(one.count).fill(1);
      this.attribute("broad", widths, 1, { instanced: true });
    });
    if (!this.isDots) {
      this.fed("edges", one.edges, () => {
        uniforms.uEdges.value?.dispose();
        const edges = buffers.get(one.edges);
        uniforms.uEdges.value = dataTexture(edges, 2, THREE.RGIntegerFormat, THREE.UnsignedIntType, "RG32UI");
        this.items = edges.length / 2;
      });
    } else this.items = one.pointCount;
    this.geometry.setDrawRange(0, this.items * 6);
    const across = this.isDots ? look.size : look.width;
    const inUnits = look.unit === "units";
    uniforms.uUnits.value = inUnits ? 1 : 0;
    uniforms.uHalf.value = inUnits ? across / 2 : (across / 2) * (scale / REFERENCE_LINES);
    uniforms.uLift.value = SURFACE_LIFT_PX / focal;
    uniforms.uColour.value.fromArray(look.colour).multiplyScalar(look.brightness);
    uniforms.uSoft.value = this.isDots ? look.softness : 0;
  }
}
