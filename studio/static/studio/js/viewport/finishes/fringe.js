// Colours that come apart towards the corners; the same looks as kernels/render/spread.py.

export const fringe = {
  gathers: true,
  uniforms: (name) => ({
    [`${name}Amount`]: { value: 0 },
    [`${name}Rise`]: { value: 1 },
    [`${name}Aspect`]: { value: 1 },
  }),
  declarations: (name) => `uniform float ${name}Amount, ${name}Rise, ${name}Aspect;`,
  code: (name) => `{
    vec2 here = inFrame;
    vec2 wide = vec2(${name}Aspect, 1.0);
    float away = length((here - 0.5) * wide) / (0.5 * length(wide));
    float reach = ${name}Amount * (${name}Rise > 0.0 ? pow(away, ${name}Rise) : 1.0);
    vec3 sum = vec3(0.0), total = vec3(0.0);
    for (int k = 0; k < 12; k++) {
      float s = (float(k) + 0.5) / 6.0 - 1.0;
      vec3 counts = max(1.0 - abs(s - vec3(-0.6, 0.0, 0.6)) / 0.6, 0.0);
      inFrame = 0.5 + (here - 0.5) * (1.0 + reach * s);
      sum += counts * grounded(texture(uPicture, uFrame.xy + inFrame * uFrame.zw));
      total += counts;
    }
    inFrame = here;
    rgb = sum / total;
  }`,

  feed(uniforms, name, effect, { header }) {
    uniforms[`${name}Amount`].value = effect.amount / 100;
    uniforms[`${name}Rise`].value = effect.rise;
    uniforms[`${name}Aspect`].value = header.background.width / header.background.height;
  },
};
