// What a bright point makes in a lens; the same as kinds/finishes/flare.py and kernels/render/flare.py.

import { cross, dot, scaled, sunWay, unit } from "../../lib/vectors.js";

const SOURCES = ["lights", "guides", "figures"];
const FAR = 1e7;
const MOST_RAYS = 64;
const MOST_DOUBLES = 32;
const LEAVES = 0.3;
const RAY_WIDTH = 0.12;
const GOLDEN = 0.618033988749895;
const PLASTIC = 0.7548776662466927;
const PLASTIC_SQUARE = 0.5698402909980532;
const SILVER = 0.4142135623730951;
const WHEEL = [
  [1, 0.5, 0.35],
  [1, 0.85, 0.4],
  [0.5, 1, 0.6],
  [0.4, 0.8, 1],
  [0.6, 0.55, 1],
  [1, 0.5, 0.8],
];

const chance = (k, seed, step) => ((k + 1) * step + seed * PLASTIC) % 1;

/** Where the source is, in heights from the middle of the frame, right and down; null if it is behind. */
function placeOf(effect, { places, lights, background }, view) {
  const family = SOURCES.find((name) => effect.source in (places[name] ?? {}));
  const sun = lights.find(({ kind, id }) => kind === "sun" && id === effect.source);
  if (!family && !sun) return [0, 0];
  const away = family
    ? [3, 7, 11].map((at, axis) => places[family][effect.source][at] - view.position[axis])
    : scaled(sunWay(sun), FAR);
  const distance = dot(away, view.forward);
  if (distance <= 1e-3) return null;
  const scale = background.width / background.height / 2 / view.tangent / distance;
  return [dot(away, unit(cross(view.forward, view.up))) * scale, -dot(away, view.up) * scale];
}

export const flare = {
  near: (effect) => (effect.hides && effect.source ? "flare behind things" : null),
  uniforms: (name) => ({
    [`${name}Place`]: { value: [0, 0] },
    [`${name}Light`]: { value: [0, 0, 0] },
    [`${name}Radius`]: { value: 0 },
    [`${name}Rays`]: { value: new Float32Array(MOST_RAYS * 4) },
    [`${name}Doubles`]: { value: new Float32Array(MOST_DOUBLES * 3) },
    [`${name}Tints`]: { value: new Float32Array(MOST_DOUBLES * 3) },
    [`${name}Counts`]: { value: [0, 0] },
    [`${name}Halo`]: { value: [1, 0, 0] },
    [`${name}Aspect`]: { value: 1 },
  }),
  declarations: (name) => `uniform vec2 ${name}Place, ${name}Counts; uniform vec3 ${name}Light, ${name}Halo;
    uniform float ${name}Radius, ${name}Aspect; uniform vec4 ${name}Rays[${MOST_RAYS}];
    uniform vec3 ${name}Doubles[${MOST_DOUBLES}], ${name}Tints[${MOST_DOUBLES}];`,
  code: (name) => `if (any(greaterThan(${name}Light, vec3(0.0)))) {
    vec2 here = (inFrame - 0.5) * vec2(${name}Aspect, -1.0);
    vec2 off = here - ${name}Place;
    float square = dot(off, off), white = 0.0;
    if (${name}Radius > 0.0) {
      float near = 1.0 + square / (${name}Radius * ${name}Radius);
      white += 2.0 / (near * near);
    }
    for (int k = 0; k < int(${name}Counts.x); k++) {
      vec4 ray = ${name}Rays[k];
      float along = dot(off, ray.xy);
      float left = 1.0 - along / ray.z;
      if (along <= 0.0 || left <= 0.0) continue;
      float beside = (off.x * ray.y - off.y * ray.x) / ray.w;
      white += left * left / (1.0 + beside * beside);
    }
    vec3 part = 1.0 + ${name}Halo.z * vec3(1.0, 0.0, -1.0);
    vec3 light = vec3(white);
    if (${name}Halo.y > 0.0) {
      vec3 beyond = (sqrt(square) - ${name}Halo.x * part) / (${name}Halo.x * 0.08);
      vec3 near = 1.0 + beyond * beyond;
      light += ${name}Halo.y / (near * near);
    }
    for (int k = 0; k < int(${name}Counts.y); k++) {
      vec2 away = here - ${name}Doubles[k].xy;
      vec3 radius = ${name}Doubles[k].z * part;
      vec3 q = dot(away, away) / (radius * radius);
      vec3 edge = clamp((1.0 - q) * 5.0, 0.0, 1.0);
      light += ${name}Tints[k] * (0.5 + 0.5 * q * q) * edge * edge * (3.0 - 2.0 * edge);
    }
    rgb += ${name}Light * light;
    float brightest = max(${name}Light.r, max(${name}Light.g, ${name}Light.b)) * white;
    cover = min(cover + (1.0 - cover) * min(brightest, 1.0), 1.0);
  }`,

  feed(uniforms, name, effect, { header, screen }) {
    const aspect = header.background.width / header.background.height;
    const place = placeOf(effect, header, screen.view ?? header.view);
    const out = place ? Math.max(Math.abs(place[0]) - aspect / 2, Math.abs(place[1]) - 0.5, 0) : Infinity;
    const share = Math.max(1 - out / LEAVES, 0) * effect.brightness;
    uniforms[`${name}Light`].value = effect.colour.map((part) => part * share);
    if (!place) return;
    const { seed, spread } = effect;
    uniforms[`${name}Place`].value = place;
    uniforms[`${name}Aspect`].value = aspect;
    uniforms[`${name}Radius`].value = effect.shows ? effect.size / 200 : 0;
    uniforms[`${name}Counts`].value = [effect.rays, effect.doubles];
    uniforms[`${name}Halo`].value = [effect.halo_size / 200, effect.halo, spread * 0.08];
    for (let k = 0; k < effect.rays; k += 1) {
      const angle = (effect.turn * Math.PI) / 180 + (k * 2 * Math.PI) / effect.rays;
      const length = Math.max((effect.length / 100) * (1 - effect.unlike * chance(k, seed, GOLDEN)), 1e-6);
      const ray = [Math.cos(angle), -Math.sin(angle), length, (effect.size / 200) * RAY_WIDTH];
      uniforms[`${name}Rays`].value.set(ray, k * 4);
    }
    for (let k = 0; k < effect.doubles; k += 1) {
      const along = 2.6 * chance(k, seed, GOLDEN) - 1.9;
      const radius = (effect.double_size / 200) * (0.35 + 1.3 * chance(k, seed + 3, PLASTIC_SQUARE));
      const light = effect.double_shine * (0.35 + 0.65 * chance(k, seed + 5, PLASTIC));
      const tint = WHEEL[Math.floor(chance(k, seed + 7, SILVER) * WHEEL.length)];
      uniforms[`${name}Doubles`].value.set([place[0] * along, place[1] * along, radius], k * 3);
      uniforms[`${name}Tints`].value.set(
        tint.map((part) => light * (1 + (part - 1) * Math.min(spread, 1))),
        k * 3,
      );
    }
  },
};
