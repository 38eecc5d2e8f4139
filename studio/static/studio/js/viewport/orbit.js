// The free look: around, sideways and closer, starting from where the camera is.

import { cross, dot, minus, plus, scaled, unit } from "../lib/vectors.js";

const TURN_PER_PIXEL = 0.006;
const WHEEL = 0.0012;

function turned(v, axis, angle) {
  const c = Math.cos(angle);
  return plus(plus(scaled(v, c), scaled(cross(axis, v), Math.sin(angle))), scaled(axis, dot(axis, v) * (1 - c)));
}

/** Turn a view around its pivot; `dx` and `dy` are pixels. */
export function lookAround(view, dx, dy) {
  const up = [0, 1, 0];
  const right = unit(cross(view.forward, view.up));
  let away = turned(minus(view.position, view.pivot), up, -dx * TURN_PER_PIXEL);
  let forward = turned(view.forward, up, -dx * TURN_PER_PIXEL);
  let above = turned(view.up, up, -dx * TURN_PER_PIXEL);
  const side = turned(right, up, -dx * TURN_PER_PIXEL);
  away = turned(away, side, -dy * TURN_PER_PIXEL);
  forward = turned(forward, side, -dy * TURN_PER_PIXEL);
  above = turned(above, side, -dy * TURN_PER_PIXEL);
  return { ...view, position: plus(view.pivot, away), forward, up: above };
}

/** Slide a view so that what lies at its pivot follows the pointer. */
export function slide(view, dx, dy, pixelsWide) {
  const right = unit(cross(view.forward, view.up));
  const distance = Math.hypot(...minus(view.position, view.pivot));
  const size = (2 * view.tangent * distance) / pixelsWide;
  const move = plus(scaled(right, -dx * size), scaled(view.up, dy * size));
  return { ...view, position: plus(view.position, move), pivot: plus(view.pivot, move) };
}

/** Move a view towards its pivot or away from it. */
export function closer(view, wheel) {
  const factor = Math.exp(Math.max(-400, Math.min(400, wheel)) * WHEEL);
  return { ...view, position: plus(view.pivot, scaled(minus(view.position, view.pivot), factor)) };
}

/** Move a view so that a ball fills most of it, looking the same way. */
export function framing(view, middle, radius) {
  const distance = (radius * 1.25) / Math.min(view.tangent, view.tangent * 0.56);
  return { ...view, pivot: middle, position: minus(middle, scaled(view.forward, distance)) };
}
