// Points of response curves.

import assert from "node:assert/strict";
import { test } from "node:test";
import {
  addedPoint,
  movedHandle,
  movedPoint,
  rounded,
  straightened,
  withoutHandle,
  withoutPoint,
} from "../../studio/static/studio/js/lib/ramp.js";

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

const ROUND = { at: [0.5, 1], arrive: [-0.2, 0], leave: [0.2, -0.1] };
const HUMP = [[0, 0], ROUND, [1, 0.2]];

test("a corner becomes round along its neighbours, and a corner again", () => {
  const round = rounded(HILL, 1);
  assert.deepEqual(round[1], { at: [0.5, 1], arrive: [-0.167, -0.033], leave: [0.167, 0.033] });
  assert.deepEqual(rounded(round, 1), HILL);
  assert.deepEqual(rounded(HILL, 0)[0], { at: [0, 0], leave: [0.167, 0.333] });
  assert.deepEqual(rounded(HILL, 2)[2], { at: [1, 0.2], arrive: [-0.167, 0.267] });
});

test("a point is moved with its handles, and others are added beside it", () => {
  assert.deepEqual(movedPoint(HUMP, 1, [0.4, 0.8])[1], { ...ROUND, at: [0.4, 0.8] });
  assert.deepEqual(movedPoint(HUMP, 0, [0.9, 0])[0], [0.5, 0]);
  assert.deepEqual(addedPoint(HUMP, 1)[2], [0.75, 0.6]);
});

test("the other handle turns with the one that is moved and stays as long, or stays as it is", () => {
  const turned = movedHandle(HUMP, 1, "leave", [0.3, 0.4])[1];
  assert.deepEqual(turned.leave, [0.3, 0.4]);
  assert.deepEqual(turned.arrive, [-0.12, -0.16]);
  assert.deepEqual(movedHandle(HUMP, 1, "leave", [0.3, 0.4], true)[1].arrive, ROUND.arrive);
  // Never to the other side of its point.
  assert.deepEqual(movedHandle(HUMP, 1, "arrive", [0.2, 2], true)[1].arrive, [0, 1]);
});

test("a handle is taken away; without both a point is a corner", () => {
  const one = withoutHandle(HUMP, 1, "leave");
  assert.deepEqual(one[1], { at: [0.5, 1], arrive: [-0.2, 0] });
  assert.deepEqual(withoutHandle(one, 1, "arrive")[1], [0.5, 1]);
});

// The same numbers as in tests/values/test_response.py.
test("round parts are told by many corners, which never leave the square or turn back", () => {
  const rows = straightened(HUMP);
  assert.equal(rows.length, 1 + 24 + 24);
  assert.deepEqual(rows[24], [0.5, 1]);
  assert.ok(Math.abs(rows[12][0] - 0.3 * 0.375 - 0.5 * 0.125) < 1e-12);
  assert.ok(Math.abs(rows[12][1] - 0.5) < 1e-12);
  const far = straightened([
    { at: [0.2, 0.5], leave: [0.9, 1] },
    { at: [0.4, 0.5], arrive: [-0.6, 0.9] },
  ]);
  assert.ok(far.every(([x, y], k) => y >= 0 && y <= 1 && (!k || x >= far[k - 1][0])));
  assert.deepEqual(straightened(HILL), HILL);
});
