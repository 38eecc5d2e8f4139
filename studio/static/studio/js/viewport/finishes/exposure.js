// Brightness in stops, and the view transform; the same formula as kernels/render/picture.py.

export const exposure = {
  uniforms: (name) => ({ [`${name}Gain`]: { value: 1 }, [`${name}Filmic`]: { value: 0 } }),
  declarations: (name) => `uniform float ${name}Gain, ${name}Filmic;`,
  code: (name) => `rgb *= ${name}Gain;
  rgb = max(rgb, 0.0);
  if (${name}Filmic > 0.5) {
    float peak = max(rgb.r, max(rgb.g, rgb.b));
    float x = max(peak - 0.5, 0.0) / 0.5;
    float rolled = min(min(peak, 0.5) + 0.5 * x * (1.0 + x / 576.0) / (1.0 + x), 1.0);
    rgb *= peak > 1e-6 ? rolled / peak : 1.0;
    rgb = mix(rgb, vec3(rolled), 1.0 - 1.0 / (0.12 * (peak - rolled) + 1.0));
  }`,

  feed(uniforms, name, effect) {
    uniforms[`${name}Gain`].value = 2 ** effect.stops;
    uniforms[`${name}Filmic`].value = effect.transform === "filmic" ? 1 : 0;
  },
};
