// What is behind everything, and the haze before it: their uniforms, and how shaders compute both. The haze is that of
// pirouette/kernels/render/haze.py; change both together.

import * as THREE from "../../vendor/three/three.module.min.js";
import { AROUND } from "./around.js";
import { skyBehind } from "./lights.js";

const BACKGROUNDS = ["solid", "gradient", "transparent", "its sky"];

/** What is behind everything at a height of the frame, 0 at its foot, along a way of the world. */
export const GROUND = `
  ${AROUND}
  uniform vec4 uFrame;
  uniform vec3 uTop, uBottom, uSkies[3];
  uniform int uBackground;
  vec3 groundAt(float height, vec3 way) {
    if (uBackground == 0) return uTop;
    if (uBackground == 1) return mix(uBottom, uTop, clamp(height, 0.0, 1.0));
    if (uBackground == 2) return vec3(0.0);
    float rise = min(abs(way.y), 1.0);
    vec3 shown = mix(uSkies[1], way.y > 0.0 ? uSkies[0] : uSkies[2], rise * (2.0 - rise));
    #ifdef AROUND
    shown += behindAround(way);
    #endif
    return shown;
  }
`;

/** How much light of a place of the world haze leaves, and what is seen of the haze; where HAZE is defined. */
export const HAZE = `
  #ifdef HAZE
  ${GROUND}
  #else
  ${AROUND}
  #endif
  #ifdef HAZE
  uniform vec4 uHaze;
  uniform vec3 uHazeColour;
  float densityOfHaze(float start, float stop) {
    float low = min(start, stop), high = max(start, stop);
    if (uHaze.z <= 0.0 || high <= 0.0) return 1.0;
    float above = max(low, 0.0);
    float rise = (high - above) / uHaze.z;
    float part = rise > 0.01 ? (1.0 - exp(-rise)) / rise : 1.0 - 0.5 * rise;
    part *= exp(-above / uHaze.z);
    return low >= 0.0 ? part : (part * high - low) / (high - low);
  }
  float leftInHaze(vec3 world) {
    return exp(-uHaze.x * distance(world, uEye) * densityOfHaze(uEye.y - uHaze.y, world.y - uHaze.y));
  }
  // y: how high it is on the canvas, 0 at its foot and 1 at its top.
  vec3 hazeBefore(vec3 world, float y) {
    return uHaze.w > 0.5 ? groundAt((y - uFrame.y) / uFrame.w, normalize(world - uEye)) : uHazeColour;
  }
  #endif
`;

export function groundUniforms() {
  return {
    uFrame: { value: new THREE.Vector4(0, 0, 1, 1) },
    uTop: { value: new THREE.Vector3() },
    uBottom: { value: new THREE.Vector3() },
    uSkies: { value: [0, 1, 2].map(() => new THREE.Vector3()) },
    uBackground: { value: 0 },
    // What is lost on a way of 1, the height that it thins out above and by how much, and if it shows what is behind all.
    uHaze: { value: new THREE.Vector4() },
    uHazeColour: { value: new THREE.Vector3() },
  };
}

/** Take a frame's background and haze; `box` is where the frame lies within the canvas. */
export function feedGround(uniforms, { background, lights }, box) {
  uniforms.uFrame.value.set(...box);
  uniforms.uTop.value.fromArray(background.colour);
  uniforms.uBottom.value.fromArray(background.bottom);
  uniforms.uBackground.value = BACKGROUNDS.indexOf(background.background);
  skyBehind(lights).forEach((colour, row) => uniforms.uSkies.value[row].fromArray(colour));
  const { haze, haze_distance: far, haze_shows: shows, haze_height: height, haze_base: base } = background;
  const isBehind = shows === "the background" && background.background !== "transparent";
  uniforms.uHaze.value.set(-Math.log1p(-haze) / far, base, height, isBehind ? 1 : 0);
  uniforms.uHazeColour.value.fromArray(background.haze_colour);
}
