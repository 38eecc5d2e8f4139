// What lights of a frame come to: which figures they shine on.

import { plus, scaled } from "../lib/vectors.js";

/** Whether a light shines on a figure. */
export function shinesOn(light, figure) {
  return light.shines === "on all" || light.figures.includes(figure) === (light.shines === "on only");
}

/** Whether a light comes from everywhere. */
export function isSky({ kind }) {
  return kind === "sky" || kind === "surroundings";
}

/** The colours of all skies that shine on a figure, added up: top, horizon and ground. */
export function skyOver(lights, figure) {
  return skyBehind(lights.filter((light) => shinesOn(light, figure)));
}

/** The same of all skies. */
export function skyBehind(lights) {
  const skies = lights.filter((light) => light.kind === "sky");
  return ["top", "horizon", "ground"].map((part) =>
    skies.reduce((sum, light) => plus(sum, scaled(light[part], light.brightness)), [0, 0, 0]),
  );
}
