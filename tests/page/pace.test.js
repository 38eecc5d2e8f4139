// How much moves from frame to frame.

import assert from "node:assert/strict";
import { test } from "node:test";
import { paceBetween, pacesOf } from "../../studio/static/studio/js/lib/pace.js";

const moved = (x) => new Float32Array([1, 0, 0, x, 0, 1, 0, 0, 0, 0, 1, 0]);
const header = (matrices, points = "p") => ({
  drawables: [{ figure: "a", part: 0, count: 1, matrices, points, pointCount: 2, low: [0, 0, 0], high: [65535, 0, 0] }],
});
const buffers = new Map([
  ["m0", moved(0)],
  ["m3", moved(3)],
  ["p", new Uint16Array([0, 0, 0, 0, 9, 0, 0, 0])],
  ["q", new Uint16Array([4, 0, 0, 0, 15, 0, 0, 0])],
]);

test("what is carried along counts by its way", () => {
  assert.equal(paceBetween(header("m0"), header("m3"), buffers), 3);
  assert.equal(paceBetween(header("m3"), header("m3"), buffers), 0);
});

test("a turn counts by the ends of the axes", () => {
  const turned = new Map([...buffers, ["t", new Float32Array([0, -1, 0, 0, 1, 0, 0, 0, 0, 0, 1, 0])]]);
  assert.ok(Math.abs(paceBetween(header("m0"), header("t"), turned) - (2 * 20 * Math.SQRT2) / 4) < 1e-5);
});

test("points count by their way within the form", () => {
  assert.ok(Math.abs(paceBetween(header("m0", "p"), header("m0", "q"), buffers) - 5) < 1e-6);
});

test("a loop has a pace across its seam, and frames that are not held have none", () => {
  const held = new Map([
    [0, header("m0")],
    [1, header("m3")],
    [3, header("m3")],
  ]);
  assert.deepEqual(pacesOf(held, buffers, { frames: 4, loops: true, fps: 24 }), [3, null, null, 3]);
  assert.deepEqual(pacesOf(held, buffers, { frames: 4, loops: false, fps: 24 }), [3, null, null, null]);
});

test("points that come and go count by their speed, and what cannot be followed does not count", () => {
  const swarm = (pointCount, speed) => ({ drawables: [{ ...header("m0").drawables[0], pointCount, speed }] });
  assert.equal(paceBetween(swarm(2, 48), swarm(3, 48), buffers, 24), 2);
  assert.equal(paceBetween(swarm(2), swarm(3), buffers, 24), null);
});
