import assert from "node:assert/strict";
import { test } from "node:test";
import { framesAhead, lastThere, reachable, wayBetween } from "../../studio/static/studio/js/lib/ahead.js";

test("frames come from the shown one on and round the seam, each once", () => {
  assert.deepEqual(framesAhead(3, [0, 6]), [3, 4, 5, 0, 1, 2]);
  assert.deepEqual(framesAhead(12, [10, 14]), [12, 13, 10, 11]);
  // What is shown need not be in what plays.
  assert.deepEqual(framesAhead(2, [10, 13]), [10, 11, 12]);
  assert.deepEqual(framesAhead(50, [10, 13]), [12, 10, 11]);
});

test("what cannot all be had in time comes in steps first", () => {
  assert.deepEqual(framesAhead(1, [0, 7], 3), [1, 4, 0, 2, 3, 5, 6]);
});

test("a playhead that goes back is met there", () => {
  assert.deepEqual(framesAhead(1, [0, 6], -1), [1, 0, 5, 4, 3, 2]);
  assert.deepEqual(framesAhead(5, [0, 8], -2).slice(0, 4), [5, 3, 1, 7]);
});

test("the way of a playhead is the short one, also across the seam", () => {
  assert.equal(wayBetween(2, 5, [0, 24]), 3);
  assert.equal(wayBetween(5, 2, [0, 24]), -3);
  assert.equal(wayBetween(23, 1, [0, 24]), 2);
  assert.equal(wayBetween(1, 23, [0, 24]), -2);
});

test("so many frames can be had as their pictures take time", () => {
  assert.equal(reachable(20, 24), 1);
  assert.equal(reachable(42, 24), 2);
  assert.equal(reachable(100, 24), 3);
  assert.equal(reachable(5000, 24), 8);
});

const there = (...frames) => [(at) => frames.includes(at)];

test("what plays is the last that is there of what is due", () => {
  assert.deepEqual(lastThere(4, 7, [0, 24], 8, ...there(5, 6, 9)), { found: 6, isLate: false });
  assert.deepEqual(lastThere(4, 7, [0, 24], 8, ...there(4, 9)), { found: null, isLate: false });
  // Across the seam.
  assert.deepEqual(lastThere(22, 2, [0, 24], 8, ...there(23, 5)), { found: 23, isLate: false });
});

test("who is too far behind waits, and goes on with what comes next", () => {
  assert.deepEqual(lastThere(0, 9, [0, 48], 8, ...there()), { found: null, isLate: false });
  assert.deepEqual(lastThere(0, 10, [0, 48], 8, ...there()), { found: null, isLate: true });
  assert.deepEqual(lastThere(0, 10, [0, 48], 8, ...there(4)), { found: 4, isLate: true });
  // What is due is shown however far it is.
  assert.deepEqual(lastThere(0, 20, [0, 48], 8, ...there(20)), { found: 20, isLate: false });
});

test("from outside of what plays the way leads in", () => {
  assert.deepEqual(lastThere(2, 10, [10, 14], 8, ...there(10)), { found: 10, isLate: false });
  assert.deepEqual(lastThere(2, 10, [10, 14], 8, ...there(2)), { found: null, isLate: true });
});
