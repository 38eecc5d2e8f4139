// Going over into a colour, or into nothing.

export const fade = {
  uniforms: (name) => ({ [`${name}Into`]: { value: [0, 0, 0, 0] }, [`${name}Amount`]: { value: 0 } }),
  declarations: (name) => `uniform vec4 ${name}Into; uniform float ${name}Amount;`,
  code: (name) => `cover = mix(cover, ${name}Into.a, ${name}Amount);
  rgb = mix(rgb, ${name}Into.rgb, ${name}Amount);`,

  feed(uniforms, name, effect) {
    uniforms[`${name}Into`].value = effect.into === "nothing" ? [0, 0, 0, 0] : [...effect.colour, 1];
    uniforms[`${name}Amount`].value = effect.amount;
  },
};
