// Curves from dark to bright; the same as kinds/finishes/curves.py, told by as many knots.

import { straightened } from "../../lib/ramp.js";
import { smooth } from "../../lib/smooth.js";

const KNOTS = 65;

export const curves = {
  uniforms: (name) => ({ [`${name}Knots`]: { value: new Float32Array(KNOTS * 3) } }),
  declarations: (name) => `uniform vec3 ${name}Knots[${KNOTS}];`,
  code: (name) => `for (int k = 0; k < 3; k++) {
    float light = max(rgb[k], 0.0);
    float shown = min(light, 1.0);
    shown = (shown <= 0.0031308 ? shown * 12.92 : 1.055 * pow(shown, 1.0 / 2.4) - 0.055) * ${KNOTS - 1}.0;
    int first = min(int(shown), ${KNOTS - 2});
    float bent = mix(${name}Knots[first][k], ${name}Knots[first + 1][k], shown - float(first));
    rgb[k] = (bent <= 0.04045 ? bent / 12.92 : pow((bent + 0.055) / 1.055, 2.4)) * max(light, 1.0);
  }`,

  feed(uniforms, name, effect) {
    const { value } = uniforms[`${name}Knots`];
    const [all, ...channels] = [effect.all, effect.red, effect.green, effect.blue].map(straightened);
    for (let k = 0; k < KNOTS; k += 1) {
      const every = smooth(all, k / (KNOTS - 1));
      channels.forEach((one, channel) => {
        value[k * 3 + channel] = smooth(one, every);
      });
    }
  },
};
