// Points of response curves.

import assert from "node:assert/strict";
import { test } from "node:test";
import { addedPoint, movedPoint, withoutPoint } from "../../studio/static/studio/js/lib/ramp.js";

const HILL = [
  [0, 0],
  [0.5, 1],
  [1, 0.2],
];

test("a point is moved, but never beyond its neighbours or out of the square", () => {
  assert.deepEqual(movedPoint(HILL, 1, [0.7, 0.4])[1], [0.7, 0.4]);
  assert.deepEqual(movedPoint(HILL, 1, [3, -2])[1], [1, 0]);
  assert.deepEqual(movedPoint(HILL, 0, [0.9, 0.5])[0], [0.5, 0.5]);
  assert.deepEqual(HILL[1], [0.5, 1]);
});

test("a point is added half the way to the next one, or where it is wanted", () => {
  assert.deepEqual(addedPoint(HILL, 0)[1], [0.25, 0.5]);
  assert.deepEqual(addedPoint(HILL, 2).at(-1), [1, 0.2]);
  assert.deepEqual(addedPoint(HILL, 1, [0.8, 0.9])[2], [0.8, 0.9]);
  assert.deepEqual(
    addedPoint(
      [
        [0.4, 1],
        [1, 1],
      ],
      -1,
      [0.1, 0.3],
    )[0],
    [0.1, 0.3],
  );
});

test("two points stay", () => {
  assert.equal(withoutPoint(HILL, 1).length, 2);
  assert.equal(withoutPoint(HILL.slice(0, 2), 1).length, 2);
});
