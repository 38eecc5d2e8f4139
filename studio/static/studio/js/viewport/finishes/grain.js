// Specks as of film; the same as kernels/render/grade.py, speck by speck.

const SPECKS = `
  uint scattered(uint h) {
    h = (h ^ (h >> 15)) * 0x7FEB352Du;
    return h ^ (h >> 15);
  }
  float speck(int x, int y, uint salt) {
    uint h = scattered(scattered((uint(x) * 0x9E3779B1u) ^ (uint(y) * 0x85EBCA77u) ^ salt));
    return (float(h & 0xFFFFu) + float(h >> 16)) / 65535.0 - 1.0;
  }
  float grained(vec2 at, uint salt) {
    at = mat2(0.8386706, 0.5446390, -0.5446390, 0.8386706) * at;
    ivec2 i = ivec2(floor(at));
    vec2 p = fract(at) - 0.5;
    vec3 across = vec3(0.5 * (0.5 - p.x) * (0.5 - p.x), 0.75 - p.x * p.x, 0.5 * (0.5 + p.x) * (0.5 + p.x));
    vec3 down = vec3(0.5 * (0.5 - p.y) * (0.5 - p.y), 0.75 - p.y * p.y, 0.5 * (0.5 + p.y) * (0.5 + p.y));
    float mean = 0.0, square = 0.0;
    for (int k = 0; k < 9; k++) {
      float share = across[k % 3] * down[k / 3];
      mean += speck(i.x + k % 3 - 1, i.y + k / 3 - 1, salt) * share;
      square += share * share;
    }
    return mean / sqrt(square);
  }
`;

export const grain = {
  shared: SPECKS,
  uniforms: (name) => ({
    [`${name}Amount`]: { value: 0 },
    [`${name}Coloured`]: { value: 0 },
    [`${name}Cells`]: { value: [1, 1] },
    [`${name}Salt`]: { value: 0 },
  }),
  declarations: (name) =>
    `uniform float ${name}Amount, ${name}Coloured; uniform vec2 ${name}Cells; uniform uint ${name}Salt;`,
  code: (name) => `{
    vec2 cell = vec2(inFrame.x, 1.0 - inFrame.y) * ${name}Cells;
    float grey = grained(cell, ${name}Salt);
    for (int k = 0; k < 3; k++) {
      float own = ${name}Coloured > 0.0 ? grained(cell, ${name}Salt + uint(k + 1)) : 0.0;
      float light = max(rgb[k], 0.0);
      float depth = sqrt(light * cover) / (1.0 + 2.0 * light * light);
      rgb[k] = max(rgb[k] + (grey + (own - grey) * ${name}Coloured) * ${name}Amount * depth, 0.0);
    }
  }`,

  feed(uniforms, name, effect, { header }) {
    const { width, height } = header.background;
    const number = effect.moves ? Math.floor(header.frame) : 0;
    const salt = Math.imul(number, 0x6c8e9cf5) + Math.imul(effect.seed, 0x94d049bb) + 0x2545f491;
    const lines = 1080 / Math.max(effect.size, 1e-3);
    uniforms[`${name}Amount`].value = effect.amount;
    uniforms[`${name}Coloured`].value = effect.coloured;
    uniforms[`${name}Cells`].value = [(lines * width) / height, lines];
    uniforms[`${name}Salt`].value = salt >>> 0;
  },
};
