// Patterns of noise on surfaces: their uniforms, and how shaders compute them. They are those of
// pirouette/kernels/noise/layers.py; change both together.

import * as THREE from "../../vendor/three/three.module.min.js";

const LAYER_SIZE = 10;
// Each layer is as many uniforms of four numbers.
const ROWS = 3;

/** What a pattern's layers come to at a place; where PATTERN, how many these are, is defined. */
export const PATTERN = `
  #ifdef PATTERN
  uniform vec4 uLayers[${ROWS} * PATTERN];
  uniform uint uSalts[PATTERN];
  const uint PRIME_X = 0x8DA6B343u, PRIME_Y = 0xD8163841u, PRIME_Z = 0xCB1AB31Fu, PRIME_T = 0x9E3779B1u;
  uint mixed(uint h) {
    h = (h ^ (h >> 15)) * 0x7FEB352Du;
    return h ^ (h >> 15);
  }
  float bitsOf(uint h, int first, int count) { return float((h >> first) & ((1u << count) - 1u)); }
  vec3 threeOf(uint h) { return vec3(bitsOf(h, 0, 10), bitsOf(h, 10, 10), bitsOf(h, 22, 10)); }
  // The two hashes that a cell or corner is between, and how far; walk: time, few, share, limit.
  void stations(uint h, vec4 walk, out uint a, out uint b, out float t) {
    a = h;
    b = h;
    t = 0.0;
    if (walk.w <= 0.0) return;
    int ring = int(walk.y) + (bitsOf(h, 0, 12) / 4096.0 < walk.z ? 1 : 0);
    float way = walk.x * float(min(ring, int(walk.w))) + bitsOf(h, 12, 12) / 4096.0;
    int passed = int(floor(way));
    t = way - float(passed);
    t = t * t * (3.0 - 2.0 * t);
    int first = passed - (passed >= ring ? ring : 0);
    int second = first + 1 >= ring ? 0 : first + 1;
    a = mixed(h + uint(first) * PRIME_T);
    b = mixed(h + uint(second) * PRIME_T);
  }
  float slope(uint h, vec3 d) { return dot(threeOf(h), d) * (2.0 / 1023.0) - (d.x + d.y + d.z); }
  float softNoise(vec3 p, uint salt, vec4 walk) {
    vec3 base = floor(p);
    vec3 at = p - base;
    vec3 w = at * at * at * (at * (at * 6.0 - 15.0) + 10.0);
    ivec3 cell = ivec3(base);
    float corner[8];
    for (int k = 0; k < 8; k++) {
      ivec3 far = ivec3(k & 1, (k >> 1) & 1, k >> 2);
      uint hx = uint(cell.x) * PRIME_X + uint(far.x) * PRIME_X, hy = uint(cell.y) * PRIME_Y + uint(far.y) * PRIME_Y;
      uint a, b;
      float t;
      stations(mixed(hx ^ hy ^ uint(cell.z + far.z) * PRIME_Z ^ salt), walk, a, b, t);
      vec3 d = at - vec3(far);
      float low = slope(a, d);
      corner[k] = walk.w > 0.0 ? low + (slope(b, d) - low) * t : low;
    }
    vec4 row = mix(vec4(corner[0], corner[2], corner[4], corner[6]), vec4(corner[1], corner[3], corner[5], corner[7]), w.x);
    vec2 face = mix(row.xz, row.yw, w.y);
    return mix(face.x, face.y, w.z) * (walk.w > 0.0 ? 1.62 : 1.35);
  }
  float cellNoise(int shape, vec3 p, uint salt, vec4 walk) {
    vec3 base = floor(p);
    vec3 at = p - base;
    uvec3 h = uvec3(ivec3(base)) * uvec3(PRIME_X, PRIME_Y, PRIME_Z);
    uint a, b;
    float t;
    if (shape == 5) {
      stations(mixed(h.x ^ h.y ^ h.z ^ salt), walk, a, b, t);
      return mix(bitsOf(a, 0, 10), bitsOf(b, 0, 10), t) / 1023.0 * 2.0 - 1.0;
    }
    float nearest = 64.0, second = 64.0;
    for (int turn = 0; turn < 27; turn++) {
      // The cell itself first: most of the others are farther away than two points that are known by then.
      int number = (turn + 13) % 27;
      ivec3 beside = ivec3(number % 3, (number / 3) % 3, number / 9) - 1;
      vec3 gap = vec3(lessThan(beside, ivec3(0))) * at + vec3(greaterThan(beside, ivec3(0))) * (1.0 - at);
      if (dot(gap, gap) > second) continue;
      uvec3 g = h + uvec3(beside) * uvec3(PRIME_X, PRIME_Y, PRIME_Z);
      stations(mixed(g.x ^ g.y ^ g.z ^ salt), walk, a, b, t);
      vec3 way = mix(threeOf(a), threeOf(b), t) / 1023.0 - at + vec3(beside);
      float square = dot(way, way);
      second = min(second, max(nearest, square));
      nearest = min(nearest, square);
    }
    if (shape == 3) return sqrt(nearest) * 2.0 - 1.04;
    return (sqrt(second) - sqrt(nearest)) * 2.0 - 0.39;
  }
  float patternAt(vec3 p) {
    float total = 0.0;
    for (int k = 0; k < PATTERN; k++) {
      vec4 first = uLayers[${ROWS} * k], next = uLayers[${ROWS} * k + 1], last = uLayers[${ROWS} * k + 2];
      vec3 at = p * first.z + vec3(first.w, next.xy);
      vec4 walk = vec4(next.zw, last.xy);
      int shape = int(first.x);
      float value;
      if (shape >= 3) value = cellNoise(shape, at, uSalts[k], walk);
      else value = softNoise(at, uSalts[k], walk);
      if (shape == 1 || shape == 2) value = abs(value) * (8.0 / 3.0) - 2.0 / 3.0;
      total += first.y * (shape == 1 ? -value : value);
    }
    return total;
  }
  #endif
`;

export const patternUniforms = () => ({ uLayers: { value: [] }, uSalts: { value: [] } });

/** Take the layers of a pattern as a packet tells them. */
export function feedPattern(uniforms, { rows, salts }) {
  uniforms.uSalts.value = salts;
  uniforms.uLayers.value = Array.from({ length: ROWS * salts.length }, (_, k) => {
    const start = Math.floor(k / ROWS) * LAYER_SIZE;
    const at = (number) => (number < LAYER_SIZE ? rows[start + number] : 0);
    return new THREE.Vector4(...[0, 1, 2, 3].map((n) => at((k % ROWS) * 4 + n)));
  });
}
