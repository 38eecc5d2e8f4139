// The finishes as the view draws them, by the ids of their kinds. Each is a file: GLSL that changes `rgb` at a pixel.

import { exposure } from "./exposure.js";
import { glow } from "./glow.js";
import { vignette } from "./vignette.js";

export const FINISHES = { glow, vignette, exposure };
