// What the view shows otherwise than the render does, in a word: it never leaves out in silence.

import { FINISHES, isDrawn } from "./finishes/table.js";
import { MAX_LIGHTS, MAX_MASKS, maskNames } from "./stage.js";

// From this roughness on, surfaces mirror the sky alone, which the view shows.
const DULL = 0.5;

function isMirror({ looks }) {
  return looks.some(
    (look) => look.kind === "surface" && look.blend === "normal" && look.mirrors && look.roughness < DULL,
  );
}

/**
 * Return words for all that a frame's proof shows and the view does not, or only nearly.
 * @param {object} header the header of a frame's packet
 * @param {object} now of how many lights shadows are not drawn, whether none are at the moment, and whether any surface
 *   is seen through
 * @param {number} now.missing
 * @param {boolean} now.isMoving
 * @param {boolean} now.hasLayers
 * @returns {string[]}
 */
export function nearWords(header, { missing, isMoving, hasLayers }) {
  const found = [];
  if (header.lens?.shutter > 0) found.push("shutter: in the proof");
  if (header.lens?.opening > 0) found.push("focus: in the proof");
  const isShaded = header.lights.some((light) => light.shadows);
  if (isShaded) found.push(isMoving ? "shadows: at rest" : "shadows: finer in the proof");
  if (missing) found.push(`shadows of ${missing} ${missing > 1 ? "lights" : "light"}: in the proof`);
  if (header.drawables.some(({ looks }) => looks.some((look) => look.through)))
    found.push("bent light and its shadows: in the proof");
  if (header.drawables.some(({ looks }) => looks.some((look) => look.sides)))
    found.push("light in wax: finer in the proof");
  if (header.background.bounce > 0) found.push("light thrown by surfaces: in the proof");
  if (header.drawables.some(isMirror)) found.push("reflections: in the proof");
  const uncut = maskNames(header).length - MAX_MASKS;
  if (uncut > 0) found.push(`cuts by ${uncut} more ${uncut > 1 ? "figures" : "figure"}: in the proof`);
  if (hasLayers) found.push("see-through layers: without grain in the proof");
  for (const kind of ["sun", "key"]) {
    const over = header.lights.filter((light) => light.kind === kind).length - MAX_LIGHTS;
    if (over > 0) found.push(`${over} more ${kind} ${over > 1 ? "lights" : "light"}: in the proof`);
  }
  const overAround = header.lights.filter((light) => light.panorama).length - 1;
  if (overAround > 0)
    found.push(`${overAround} more ${overAround > 1 ? "pictures" : "picture"} all around: in the proof`);
  for (const effect of header.finish) {
    const words = FINISHES[effect.kind]?.near?.(effect);
    if (words || !isDrawn(effect)) found.push(`${words ?? effect.kind}: in the proof`);
  }
  return [...new Set(found)];
}
