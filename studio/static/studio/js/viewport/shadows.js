// Shadows in the view: what each light sees, drawn as depths into one picture. In each pass of a picture at rest, lights
// stand elsewhere within their width and skies look from other ways: the mean has soft edges and dark hollows.

import { cross, dot, minus, plus, scaled, sunWay, unit } from "../lib/vectors.js";
import * as THREE from "../../vendor/three/three.module.min.js";
import { isSky, shinesOn } from "./lights.js";

// Places for lights in the picture, four by four; what is beyond is told of (see near.js).
export const MAX_SHADOWS = 16;
// So many ways does each pass look into the sky.
const SKIES_EACH = 4;
const SIZE = 3072;
const GOLDEN = (3 - Math.sqrt(5)) / 2;
// A surface is looked at so many texels off itself, or it would shade itself.
const OFF_TEXELS = 1.6;
// The widest that a light from a place sees, as the tangent of half its angle.
const WIDEST = 3.7;

/** Ways that fill the ball around, evenly. */
export function skyWays(count) {
  return Array.from({ length: count }, (_, k) => {
    const y = 1 - (2 * k + 1) / count;
    const radius = Math.sqrt(1 - y * y);
    const angle = 2 * Math.PI * GOLDEN * k;
    return [radius * Math.cos(angle), y, radius * Math.sin(angle)];
  });
}

/** A place on a disc of radius 1 for one of so many passes. */
function onDisc(number, count) {
  const radius = Math.sqrt((number + 0.5) / count);
  const angle = 2 * Math.PI * GOLDEN * number;
  return [radius * Math.cos(angle), radius * Math.sin(angle)];
}

/** Two ways across a unit way. */
function across(way) {
  const side = unit(cross(way, Math.abs(way[1]) < 0.9 ? [0, 1, 0] : [1, 0, 0]));
  return [side, cross(way, side)];
}

/** The box around all surfaces of a frame, or null. */
export function boxAround(header, buffers) {
  const low = [Infinity, Infinity, Infinity];
  const high = [-Infinity, -Infinity, -Infinity];
  for (const one of header.drawables) {
    if (!one.looks.some((look) => look.kind === "surface")) continue;
    const middle = scaled(plus(one.low, one.high), 0.5);
    const half = scaled(minus(one.high, one.low), 0.5);
    const rows = buffers.get(one.matrices);
    for (let at = 0; at < one.count * 12; at += 12) {
      for (let axis = 0; axis < 3; axis += 1) {
        const row = at + axis * 4;
        const [a, b, c] = [rows[row], rows[row + 1], rows[row + 2]];
        const place = a * middle[0] + b * middle[1] + c * middle[2] + rows[row + 3];
        const reach = Math.abs(a) * half[0] + Math.abs(b) * half[1] + Math.abs(c) * half[2];
        low[axis] = Math.min(low[axis], place - reach);
        high[axis] = Math.max(high[axis], place + reach);
      }
    }
  }
  return low[0] > high[0] ? null : { low, high };
}

function ballIn({ low, high }) {
  return { middle: scaled(plus(low, high), 0.5), radius: Math.max(1e-3, Math.hypot(...minus(high, low)) / 2) };
}

/**
 * The ball around what can be seen of a box, so that lights need not look at more.
 * @param {{eye: number[], right: number[], up: number[], forward: number[], tangent: number[]}} view
 */
export function ballSeen(box, view) {
  const corners = Array.from({ length: 8 }, (_, k) =>
    [0, 1, 2].map((axis) => ((k >> axis) & 1 ? box.high : box.low)[axis]),
  );
  const depths = corners.map((corner) => dot(minus(corner, view.eye), view.forward));
  const seen = { low: [Infinity, Infinity, Infinity], high: [-Infinity, -Infinity, -Infinity] };
  for (const depth of [Math.max(Math.min(...depths), 0), Math.max(...depths, 0)]) {
    for (const [x, y] of [
      [-1, -1],
      [1, -1],
      [-1, 1],
      [1, 1],
    ]) {
      const across = plus(scaled(view.right, x * view.tangent[0]), scaled(view.up, y * view.tangent[1]));
      const place = plus(view.eye, scaled(plus(view.forward, across), depth));
      seen.low = seen.low.map((value, axis) => Math.min(value, place[axis]));
      seen.high = seen.high.map((value, axis) => Math.max(value, place[axis]));
    }
  }
  seen.low = seen.low.map((value, axis) => Math.max(value, box.low[axis]));
  seen.high = seen.high.map((value, axis) => Math.min(value, box.high[axis]));
  return seen.low.some((value, axis) => value > seen.high[axis]) ? ballIn(box) : ballIn(seen);
}

/** Parallel light along a way, on what is seen, out of all there is: rows that bring a place into its picture, -1..1. */
function parallel(way, all, seen, shift) {
  const [side, up] = across(way);
  const row = (axis, { middle, radius }, more = 0) => [...scaled(axis, 1 / radius), -dot(axis, middle) / radius + more];
  return [row(side, seen, shift[0]), row(up, seen, shift[1]), row(scaled(way, -1), all), [0, 0, 0, 1]];
}

/** Light from a place, on what is seen, out of all there is; what is nearer than `near` throws no shadow. */
function fromPlace(place, all, seen, near) {
  const away = minus(seen.middle, place);
  const distance = Math.max(Math.hypot(...away), 1e-6);
  const ahead = scaled(away, 1 / distance);
  const [side, up] = across(ahead);
  const reach = distance ** 2 - seen.radius ** 2;
  const tangent = reach > 0 ? Math.min(seen.radius / Math.sqrt(reach), WIDEST) : WIDEST;
  const far = Math.hypot(...minus(all.middle, place));
  const first = Math.max(far - all.radius, near, 1e-3 * all.radius);
  const last = far + all.radius;
  const row = (axis, size) => [...scaled(axis, size), -size * dot(axis, place)];
  const depth = row(ahead, (last + first) / (last - first));
  depth[3] -= (2 * last * first) / (last - first);
  return { rows: [row(side, 1 / tangent), row(up, 1 / tangent), depth, row(ahead, 1)], tangent, distance };
}

/**
 * Choose the lights whose shadows are drawn, in their order, and say of how many they are not.
 * @returns {{lights: object[], hasSky: boolean, missing: number}}
 */
export function chosenLights(header, box) {
  const found = { lights: [], hasSky: false, missing: 0 };
  if (!box) return found;
  const ball = ballIn(box);
  found.hasSky = header.lights.some((light) => isSky(light) && light.shadows);
  const room = MAX_SHADOWS - (found.hasSky ? SKIES_EACH : 0);
  for (const light of header.lights) {
    if (!light.shadows || isSky(light)) continue;
    // From among what it lights, one picture shows no more than what is before it.
    const isInside = light.kind === "key" && Math.hypot(...minus(light.position, ball.middle)) < ball.radius;
    if (isInside || found.lights.length >= room) found.missing += 1;
    if (found.lights.length < room) found.lights.push(light);
  }
  return found;
}

/** The uniforms that surfaces read shadows by. */
export function shadowUniforms() {
  const each = (make) => ({ value: Array.from({ length: MAX_SHADOWS }, make) });
  return {
    uLight: { value: new THREE.Matrix4() },
    uShadowMap: { value: null },
    uShadowsOn: { value: 0 },
    uShadow: each(() => new THREE.Matrix4()),
    uShadowTile: each(() => new THREE.Vector4()),
    uShadowFar: each(() => 1),
    uSkyWay: { value: Array.from({ length: SKIES_EACH }, () => new THREE.Vector3()) },
  };
}

export class Shadows {
  constructor(renderer, shared) {
    Object.assign(this, { renderer, shared, size: SIZE });
    this.known = new WeakMap();
  }

  get target() {
    if (this.made) return this.made;
    const depthTexture = new THREE.DepthTexture(this.size, this.size, THREE.UnsignedIntType);
    this.made = new THREE.WebGLRenderTarget(this.size, this.size, { depthTexture });
    this.made.scissorTest = true;
    return this.made;
  }

  /** The lights of a frame whose shadows are drawn; remembered with the frame. */
  of(header, buffers) {
    if (!this.known.has(header)) {
      const box = header.lights.some((light) => light.shadows) ? boxAround(header, buffers) : null;
      this.known.set(header, { box, ...chosenLights(header, box) });
    }
    return this.known.get(header);
  }

  /** Whether any shadows are drawn of a frame. */
  areIn(header, buffers, isFlat) {
    const { thrown, skies } = this.places(header, buffers, isFlat);
    return thrown.length + skies > 0;
  }

  /** The lights of a frame whose shadows are drawn, and how many places before theirs are for the sky. */
  places(header, buffers, isFlat) {
    const { lights, hasSky } = isFlat ? { lights: [], hasSky: false } : this.of(header, buffers);
    return { thrown: lights, skies: hasSky ? SKIES_EACH : 0 };
  }

  /** Draw what the lights of a stage see in one of `count` passes; surfaces then read their shadows from it. */
  draw(stage, header, buffers, number, count) {
    const { shared } = this;
    const { box, lights, hasSky } = this.of(header, buffers);
    const skies = hasSky ? header.lights.filter((light) => isSky(light) && light.shadows) : [];
    const slots = (hasSky ? SKIES_EACH : 0) + lights.length;
    // In a single pass the sky is open: its hollows are the mean of several.
    shared.uShadowsOn.value = !slots || !count ? 0 : count > 1 ? 2 : 1;
    if (!shared.uShadowsOn.value) return;
    shared.uShadowMap.value = this.made?.depthTexture ?? this.target.depthTexture;
    const ball = ballIn(box);
    const seen = ballSeen(box, {
      eye: shared.uEye.value.toArray(),
      right: shared.uRight.value.toArray(),
      up: shared.uUp.value.toArray(),
      forward: shared.uForward.value.toArray(),
      tangent: shared.uTangent.value.toArray(),
    });
    const rows = Math.ceil(Math.sqrt(slots));
    const side = Math.floor(this.size / rows);
    // Moved by a part of a texel in each pass, so that its stairs are not to be seen.
    const shift = onDisc((number * 3) % count, count).map((part) => part / side);
    const texel = (2 * seen.radius) / side;
    let slot = 0;
    const put = (matrix, far, size, isLit) => {
      const [x, y] = [(slot % rows) * side, Math.floor(slot / rows) * side];
      shared.uShadow.value[slot].set(...matrix.flat());
      shared.uShadowTile.value[slot].set(x / this.size, y / this.size, side / this.size, size * OFF_TEXELS);
      shared.uShadowFar.value[slot] = far;
      shared.uLight.value.copy(shared.uShadow.value[slot]);
      this.target.viewport.set(x, y, side, side);
      this.target.scissor.set(x, y, side, side);
      stage.drawThrown(this.renderer, this.target, isLit);
      slot += 1;
    };
    if (hasSky && count === 1) slot = SKIES_EACH;
    else if (hasSky) {
      const ways = skyWays(SKIES_EACH * count);
      const reach = Math.max(...skies.map(({ hollows }) => hollows || Infinity));
      for (let k = 0; k < SKIES_EACH; k += 1) {
        const mine = number * SKIES_EACH + k;
        // Ways that follow each other lie at one height; a pass takes some from above and some from below the middle.
        const way = ways[(mine * 5) % ways.length];
        shared.uSkyWay.value[k].fromArray(way);
        const share = ((mine * 7) % ways.length) / ways.length + 0.5 / ways.length;
        const far = Number.isFinite(reach) ? (reach * share) / (2 * ball.radius) : 1;
        put(parallel(way, ball, seen, shift), far, texel, (figure) => skies.some((sky) => shinesOn(sky, figure)));
      }
    }
    const [right, up] = count > 1 ? onDisc(number, count) : [0, 0];
    for (const light of lights) {
      const isLit = (figure) => shinesOn(light, figure);
      if (light.kind === "sun") {
        const way = sunWay(light);
        const wide = Math.tan((light.width * Math.PI) / 360);
        const [x, y] = across(way);
        const there = unit(plus(way, plus(scaled(x, right * wide), scaled(y, up * wide))));
        put(parallel(there, ball, seen, shift), 1, texel, isLit);
      } else {
        const [x, y] = across(unit(minus(seen.middle, light.position)));
        const half = light.width / 2;
        const there = plus(light.position, plus(scaled(x, right * half), scaled(y, up * half)));
        const { rows: matrix, tangent, distance } = fromPlace(there, ball, seen, half);
        put(matrix, 1, (2 * tangent * distance) / side, isLit);
      }
    }
  }
}
