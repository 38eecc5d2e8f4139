// Bright light rolled off before means are made of it, and back; the same formula as kernels/render/bright.py.

export const BRIGHT = `
  uniform float uWhite;
  float rolledOff(vec3 c) {
    float t = max(c.r, max(c.g, c.b)) / uWhite;
    return t > 1.0 ? (1.3 - 0.09 / (t - 0.7)) / t : 1.0;
  }
  float rolledOn(vec3 c) {
    float t = max(c.r, max(c.g, c.b)) / uWhite;
    return t > 1.0 ? (0.7 + 0.09 / max(1.3 - t, 1e-5)) / t : 1.0;
  }
`;

/** How bright light is that a frame's finishes bring to white. */
export function whiteOf({ finish }) {
  return 2 ** -finish.reduce((sum, { stops = 0 }) => sum + stops, 0);
}
