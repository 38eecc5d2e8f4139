// Softness all over, by halving and doubling; as in kernels/render/spread.py. That by distance is left to the render.

const SHARE = 0.25;
const spreadOf = (level) => 0.5 * (4 ** level - 1);

export const blur = {
  gathers: true,
  isLeft: (effect) => effect.by === "distance",
  near: (effect) => (effect.by === "distance" ? "blur by distance" : null),
  uniforms: (name) => ({
    [`${name}Narrow`]: { value: null },
    [`${name}Wide`]: { value: null },
    [`${name}Share`]: { value: 0 },
    [`${name}Own`]: { value: 1 },
  }),
  declarations: (name) => `uniform sampler2D ${name}Narrow, ${name}Wide; uniform float ${name}Share, ${name}Own;`,
  code: (name) => `if (${name}Share > 0.0) {
    vec3 narrow = ${name}Own > 0.5 ? rgb : texture(${name}Narrow, at).rgb;
    rgb = mix(narrow, texture(${name}Wide, at).rgb, ${name}Share);
  }`,

  /** Make both blurred pictures that the wanted one lies between, and set the uniforms. */
  feed(uniforms, name, effect, { screen, source, lines }) {
    const variance = ((effect.width / 100) * lines * SHARE) ** 2;
    const level = Math.min(Math.max(1, Math.ceil(Math.log2(2 * variance + 1) / 2)), screen.levels.length);
    const [before, after] = [spreadOf(level - 1), spreadOf(level)];
    const [narrow, wide] = variance > 0 ? screen.blurred(source, level) : [source, source];
    uniforms[`${name}Narrow`].value = narrow.texture;
    uniforms[`${name}Wide`].value = wide.texture;
    uniforms[`${name}Own`].value = level === 1 ? 1 : 0;
    uniforms[`${name}Share`].value = Math.min((variance - before) / (after - before), 1);
  },
};
