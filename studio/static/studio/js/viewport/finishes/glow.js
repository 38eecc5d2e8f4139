// Light that spills over the edges of what is bright: halved and doubled again; a cheaper way than the render's.

const MAX_LEVELS = 7;

export const glow = {
  // It reads the whole picture as the finishes before it leave it, not only the pixel at hand.
  gathers: true,
  uniforms: (name) => ({ [`${name}Halo`]: { value: null }, [`${name}Strength`]: { value: 0 } }),
  declarations: (name) => `uniform sampler2D ${name}Halo; uniform float ${name}Strength;`,
  code: (name) => `rgb += texture(${name}Halo, at).rgb * ${name}Strength;`,

  // What spills over figures' edges does so on all that is around.
  get codeOfSome() {
    return this.code;
  },

  /** Make the halo of a picture, or of what shows some figures, and set the uniforms. */
  feed(uniforms, name, effect, { screen, source, lines, cover, marked }) {
    const wanted = Math.round(Math.log2(Math.max(lines, 8)) - 5.1 + effect.size * 4);
    const levels = Math.max(1, Math.min(MAX_LEVELS, wanted));
    uniforms[`${name}Halo`].value = screen.halo(cover ? marked() : source, effect.above, levels).texture;
    uniforms[`${name}Strength`].value = effect.strength;
  },
};
