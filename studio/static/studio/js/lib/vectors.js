// Vectors of three numbers, and the way to a sun.

export const cross = (a, b) => [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]];
export const dot = (a, b) => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
export const scaled = (a, k) => a.map((value) => value * k);
export const plus = (a, b) => a.map((value, i) => value + b[i]);
export const minus = (a, b) => a.map((value, i) => value - b[i]);
export const unit = (a) => scaled(a, 1 / (Math.hypot(...a) || 1));

/** The way to a sun, of length 1. */
export function sunWay({ around, above }) {
  const [a, b] = [around, above].map((angle) => (angle * Math.PI) / 180);
  return [Math.sin(a) * Math.cos(b), Math.sin(b), Math.cos(a) * Math.cos(b)];
}
