// Hue, how colourful, and what black and white become; the same formula as kernels/render/grade.py.

import { CONES } from "./cones.js";

export const colour = {
  shared: CONES,
  uniforms: (name) => ({
    [`${name}Turn`]: { value: 0 },
    [`${name}Vivid`]: { value: [1, 0] },
    [`${name}Lift`]: { value: [0, 0, 0] },
    [`${name}Gain`]: { value: [1, 1, 1] },
    [`${name}Power`]: { value: 1 },
  }),
  declarations: (name) =>
    `uniform float ${name}Turn, ${name}Power; uniform vec2 ${name}Vivid; uniform vec3 ${name}Lift, ${name}Gain;`,
  code: (name) => `{
    vec3 lab = LAB * takenIn(max(rgb, 0.0));
    float factor = ${name}Vivid.x * (1.0 + ${name}Vivid.y * max(1.0 - length(lab.yz) / 0.25, 0.0));
    float co = cos(${name}Turn), si = sin(${name}Turn);
    lab.yz = mat2(co, si, -si, co) * lab.yz * factor;
    rgb = max(lightOf(UNLAB * lab), 0.0) * (${name}Gain - ${name}Lift) + ${name}Lift;
    if (${name}Power != 1.0) rgb = pow(max(rgb, 0.0), vec3(${name}Power));
  }`,

  feed(uniforms, name, effect) {
    uniforms[`${name}Turn`].value = (effect.hue * Math.PI) / 180;
    uniforms[`${name}Vivid`].value = [effect.saturation, effect.vibrance];
    uniforms[`${name}Lift`].value = effect.lift_colour.map((part) => part * effect.lift);
    uniforms[`${name}Gain`].value = effect.gain_colour.map((part) => part * effect.gain);
    uniforms[`${name}Power`].value = 1 / effect.gamma;
  },
};
