// Darker corners.

export const vignette = {
  uniforms: (name) => ({
    [`${name}Strength`]: { value: 0 },
    [`${name}Reach`]: { value: 1 },
    [`${name}Softness`]: { value: 1 },
  }),
  declarations: (name) => `uniform float ${name}Strength, ${name}Reach, ${name}Softness;`,
  code: (name) => `{
    float t = clamp((length(inFrame * 2.0 - 1.0) * 0.70710678 - ${name}Reach) / ${name}Softness, 0.0, 1.0);
    rgb *= 1.0 - ${name}Strength * t * t * (3.0 - 2.0 * t);
  }`,

  feed(uniforms, name, effect) {
    uniforms[`${name}Strength`].value = effect.strength;
    uniforms[`${name}Reach`].value = effect.reach;
    uniforms[`${name}Softness`].value = Math.max(effect.softness, 1e-3);
  },
};
