// Brightness in stops, and the view transform; the same formulas as kernels/render/transform.py.

import { CONES } from "./cones.js";

const TRANSFORMS = ["plain", "filmic", "steady"];

const filmic = `
    float peak = max(rgb.r, max(rgb.g, rgb.b));
    float x = max(peak - 0.5, 0.0) / 0.5;
    float rolled = min(min(peak, 0.5) + 0.5 * x * (1.0 + x / 576.0) / (1.0 + x), 1.0);
    rgb *= peak > 1e-6 ? rolled / peak : 1.0;
    rgb = mix(rgb, vec3(rolled), 1.0 - 1.0 / (0.12 * (peak - rolled) + 1.0));
`;

const steady = `
    float peak = max(rgb.r, max(rgb.g, rgb.b));
    if (peak > 0.7) {
      float rolled = 1.0 - 0.09 / (peak - 0.4);
      float keep = 1.0 / (0.15 * (peak - rolled) + 1.0);
      vec3 paler = takenIn(rgb * (rolled / peak)) * keep + cubeRoot(vec3(rolled)) * (1.0 - keep);
      rgb = clamp(lightOf(paler), 0.0, 1.0);
    }
`;

export const exposure = {
  shared: CONES,
  uniforms: (name) => ({ [`${name}Gain`]: { value: 1 }, [`${name}Transform`]: { value: 0 } }),
  declarations: (name) => `uniform float ${name}Gain; uniform int ${name}Transform;`,
  code: (name) => `rgb = max(rgb * ${name}Gain, 0.0);
  if (${name}Transform == 1) {${filmic}} else if (${name}Transform == 2) {${steady}}`,

  feed(uniforms, name, effect) {
    uniforms[`${name}Gain`].value = 2 ** effect.stops;
    uniforms[`${name}Transform`].value = TRANSFORMS.indexOf(effect.transform);
  },
};
