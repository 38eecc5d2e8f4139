// The finishes as the view draws them, by the ids of their kinds. Each is a file: GLSL that changes `rgb` at a pixel.

import { blur } from "./blur.js";
import { colour } from "./colour.js";
import { curves } from "./curves.js";
import { exposure } from "./exposure.js";
import { fade } from "./fade.js";
import { flare } from "./flare.js";
import { fringe } from "./fringe.js";
import { glow } from "./glow.js";
import { grain } from "./grain.js";
import { vignette } from "./vignette.js";

export const FINISHES = { glow, flare, blur, fringe, vignette, colour, exposure, curves, grain, fade };

/** Whether the view draws an effect; all others are told of (see near.js). */
export function isDrawn(effect) {
  const finish = FINISHES[effect.kind];
  return Boolean(finish) && !finish.isLeft?.(effect);
}
