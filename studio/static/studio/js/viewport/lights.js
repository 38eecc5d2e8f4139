// What lights of a frame come to: which figures they shine on, and from where.

import { plus, scaled } from "./orbit.js";

/** Whether a light shines on a figure. */
export function shinesOn(light, figure) {
  return light.shines === "on all" || light.figures.includes(figure) === (light.shines === "on only");
}

/** The way to a sun, of length 1. */
export function sunWay({ around, above }) {
  const [a, b] = [around, above].map((angle) => (angle * Math.PI) / 180);
  return [Math.sin(a) * Math.cos(b), Math.sin(b), Math.cos(a) * Math.cos(b)];
}

/** The colours of all skies that shine on a figure, added up: top, horizon and ground. */
export function skyOver(lights, figure) {
  const skies = lights.filter((light) => light.kind === "sky" && shinesOn(light, figure));
  return ["top", "horizon", "ground"].map((part) =>
    skies.reduce((sum, light) => plus(sum, scaled(light[part], light.brightness)), [0, 0, 0]),
  );
}
