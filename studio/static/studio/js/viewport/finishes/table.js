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

/** Whether an effect changes only what shows some figures. */
export const isLimited = ({ acts }) => acts !== "on all";

/** Whether an effect changes what shows a figure. */
export const isChanged = ({ acts, figures }, figure) => figures.includes(figure) === (acts === "on only");

/** An effect's finish; one that knows nothing of figures is mixed by how much of a pixel shows them. */
export function limited(effect) {
  const finish = FINISHES[effect.kind];
  if (!isLimited(effect)) return finish;
  const uniforms = (name) => ({ ...finish.uniforms(name), [`${name}Cover`]: { value: null } });
  const declarations = (name) => `${finish.declarations(name)} uniform sampler2D ${name}Cover;`;
  const feed = (held, name, one, given) => {
    finish.feed(held, name, one, given);
    held[`${name}Cover`].value = given.cover.texture;
  };
  const mixed = (name) => `{
    vec4 before_ = vec4(rgb, cover);
    ${finish.code(name)}
    vec4 mixed_ = mix(before_, vec4(rgb, cover), texture(${name}Cover, at).r);
    rgb = mixed_.rgb;
    cover = mixed_.a;
  }`;
  return { ...finish, uniforms, declarations, feed, code: finish.codeOfSome ?? mixed };
}
