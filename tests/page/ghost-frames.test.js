// Which frames are seen through the shown one.

import assert from "node:assert/strict";
import { test } from "node:test";
import { ghostFrames } from "../../studio/static/studio/js/lib/ghost-frames.js";

const numbers = (found) => found.map((one) => one.frame);
const LOOP = { frames: 24, loops: true };

test("they lie on both sides, the furthest first and faintest", () => {
  const found = ghostFrames(10, { each: 2, apart: 3 }, LOOP);
  assert.deepEqual(numbers(found), [4, 16, 7, 13]);
  assert.deepEqual(
    found.map((one) => one.isEarlier),
    [true, false, true, false],
  );
  assert.ok(found[0].strength < found[2].strength && found[2].strength === 1);
});

test("in a loop they go across the seam", () => {
  assert.deepEqual(numbers(ghostFrames(1, { each: 2, apart: 2 }, LOOP)), [21, 5, 23, 3]);
});

test("a scene that plays once has none beyond its ends", () => {
  assert.deepEqual(numbers(ghostFrames(1, { each: 2, apart: 2 }, { frames: 24, loops: false })), [5, 3]);
});

test("no frame is shown twice, nor the shown one itself", () => {
  assert.deepEqual(numbers(ghostFrames(0, { each: 3, apart: 12 }, LOOP)), [12]);
  assert.deepEqual(numbers(ghostFrames(0, { each: 1, apart: 24 }, LOOP)), []);
});
