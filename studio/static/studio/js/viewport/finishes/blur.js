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
    [`${name}All`]: { value: null },
  }),
  declarations: (name) =>
    `uniform sampler2D ${name}Narrow, ${name}Wide, ${name}All; uniform float ${name}Share, ${name}Own;`,
  code: (name) => `if (${name}Share > 0.0) {
    vec3 narrow = ${name}Own > 0.5 ? rgb : texture(${name}Narrow, at).rgb;
    rgb = mix(narrow, texture(${name}Wide, at).rgb, ${name}Share);
  }`,

  // What is blurred lies before the rest, which is filled behind it by what is around.
  codeOfSome: (name) => `if (${name}Share > 0.0) {
    vec4 front_ = mix(texture(${name}Narrow, at), texture(${name}Wide, at), ${name}Share);
    float share_ = texture(${name}Cover, at).r;
    vec3 fill_ = (texture(${name}All, at).rgb - front_.rgb) / max(1.0 - front_.a, 1e-3);
    rgb = front_.rgb + (rgb * (1.0 - share_) + fill_ * share_) * (1.0 - front_.a);
  }`,

  /** Make both blurred pictures that the wanted one lies between, and set the uniforms. */
  feed(uniforms, name, effect, { screen, source, lines, cover, marked }) {
    const variance = ((effect.width / 100) * lines * SHARE) ** 2;
    const level = Math.min(Math.max(1, Math.ceil(Math.log2(2 * variance + 1) / 2)), screen.levels.length);
    const [before, after] = [spreadOf(level - 1), spreadOf(level)];
    const share = Math.min((variance - before) / (after - before), 1);
    const isSome = cover && variance > 0;
    if (isSome) uniforms[`${name}All`].value = screen.kept(...screen.blurred(source, level), share).texture;
    const own = isSome ? marked() : source;
    const [narrow, wide] = variance > 0 ? screen.blurred(own, level) : [own, own];
    uniforms[`${name}Narrow`].value = narrow.texture;
    uniforms[`${name}Wide`].value = wide.texture;
    uniforms[`${name}Own`].value = level === 1 ? 1 : 0;
    uniforms[`${name}Share`].value = share;
  },
};
