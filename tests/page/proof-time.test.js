// In how long a proof will be fine.

import assert from "node:assert/strict";
import { test } from "node:test";
import { PASSES, inSeconds, secondsLeft } from "../../studio/static/studio/js/lib/proof-time.js";

const work = ({ scale, samples }) => scale ** 2 * (samples + 3);

test("nothing is told from the picture that computes the frame, too", () => {
  assert.equal(secondsLeft([]), null);
  assert.equal(secondsLeft([4]), null);
});

test("what grows with the picture is told apart from what every picture takes", () => {
  const took = PASSES.map((pass) => 0.4 + 0.1 * work(pass));
  const left = took.slice(3).reduce((sum, one) => sum + one, 0);
  assert.ok(Math.abs(secondsLeft(took.slice(0, 3)) - left) < 1e-9);
  // From one alone it is told as if all of it grew.
  assert.ok(secondsLeft(took.slice(0, 2)) > left);
});

test("a picture that was quicker than a coarser one tells no negative time", () => {
  assert.ok(secondsLeft([1, 3, 2]) >= 0);
});

test("nothing is left once it is fine", () => {
  assert.equal(secondsLeft(PASSES.map(() => 1)), null);
});

test("seconds have a decimal up to ten", () => {
  assert.equal(inSeconds(3.14), "3.1 s");
  assert.equal(inSeconds(12.6), "13 s");
});
