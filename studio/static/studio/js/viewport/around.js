// Pictures all around: their uniforms, and how shaders read them; pirouette/kernels/render/around.py does the same.

import * as THREE from "../../vendor/three/three.module.min.js";

const ROUGHEST = 8;
const BEHIND = 9;
// Textures of pictures that were shown lately.
const MOST_HELD = 3;
const held = new Map();

/** What is seen of a picture all around along a way: on a surface that faces it, in a mirror, behind everything. */
export const AROUND = `
  #ifdef AROUND
  uniform sampler2D uAround;
  // The first row of each level, and how many pixels its sides have without the rim.
  uniform vec2 uAroundLevels[${BEHIND + 1}];
  // Cosine and sine of its turn, and how bright it is.
  uniform vec3 uAroundTurn;
  vec3 levelAround(int level, vec3 way) {
    vec3 w = vec3(uAroundTurn.x * way.x - uAroundTurn.y * way.z, way.y, uAroundTurn.y * way.x + uAroundTurn.x * way.z);
    w /= abs(w.x) + abs(w.y) + abs(w.z);
    vec2 p = w.xz;
    if (w.y < 0.0) p = (1.0 - abs(p.yx)) * vec2(p.x >= 0.0 ? 1.0 : -1.0, p.y >= 0.0 ? 1.0 : -1.0);
    vec2 place = (p * 0.5 + 0.5) * uAroundLevels[level].y + 1.0;
    place.y += uAroundLevels[level].x;
    return texture(uAround, place / vec2(textureSize(uAround, 0))).rgb * uAroundTurn.z;
  }
  vec3 spreadAround(vec3 n) { return levelAround(${ROUGHEST}, n); }
  vec3 mirroredAround(vec3 way, float rough) {
    float level = ${ROUGHEST}.0 * pow(rough * rough, 1.0 / 3.0);
    int low = min(int(level), ${ROUGHEST - 1});
    return mix(levelAround(low, way), levelAround(low + 1, way), level - float(low));
  }
  vec3 behindAround(vec3 way) { return levelAround(${BEHIND}, way); }
  #endif
`;

export function aroundUniforms() {
  return {
    uAround: { value: null },
    uAroundLevels: { value: Array.from({ length: BEHIND + 1 }, () => new THREE.Vector2()) },
    uAroundTurn: { value: new THREE.Vector3() },
  };
}

/** The light of a frame that is a picture all around: the view draws the first one. */
export function panoramaOf({ lights }) {
  return lights.find((light) => light.panorama);
}

/** Take the picture all around of a frame, if there is one. */
export function feedAround(uniforms, header, buffers) {
  const light = panoramaOf(header);
  if (!light) {
    uniforms.uAroundTurn.value.set(1, 0, 0);
    return;
  }
  const { texels, wide, levels } = light.panorama;
  levels.forEach((level, row) => uniforms.uAroundLevels.value[row].fromArray(level));
  const turn = (light.turn * Math.PI) / 180;
  uniforms.uAroundTurn.value.set(Math.cos(turn), Math.sin(turn), light.brightness);
  uniforms.uAround.value = textureOf(texels, wide, buffers);
}

function textureOf(key, wide, buffers) {
  const known = held.get(key);
  if (known) {
    held.delete(key);
    held.set(key, known);
    return known;
  }
  const data = buffers.get(key);
  const texture = new THREE.DataTexture(data, wide, data.length / 4 / wide, THREE.RGBAFormat, THREE.HalfFloatType);
  texture.magFilter = texture.minFilter = THREE.LinearFilter;
  texture.needsUpdate = true;
  held.set(key, texture);
  for (const oldest of [...held.keys()].slice(0, -MOST_HELD)) {
    held.get(oldest).dispose();
    held.delete(oldest);
  }
  return texture;
}
