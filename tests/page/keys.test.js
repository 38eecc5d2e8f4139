// Keys as plain data: what lies between them, and what moving, stretching, easing and pasting make of them.

import assert from "node:assert/strict";
import { test } from "node:test";
import {
  bent,
  eased,
  keyedAt,
  moved,
  pasted,
  recorded,
  stretched,
  without,
} from "../../studio/static/studio/js/lib/keys.js";
import { canMove } from "../../studio/static/studio/js/lib/sort.js";

const keyed = (...pairs) => ({
  sort: "keyed",
  keys: pairs.map(([frame, value, ease = "linear"]) => ({ frame, value, ease })),
});
const frames = (raw) => raw.keys.map((key) => [key.frame, key.value]);

test("between keys lies what their ease says", () => {
  const at = (ease, frame) => keyedAt(keyed([0, 0, ease], [10, 20, ease]), frame);
  assert.equal(at("linear", 2.5), 5);
  assert.equal(at("smooth", 5), 10);
  assert.equal(at("smooth", 2.5), 20 * 0.25 ** 2 * (3 - 0.5));
  assert.equal(at("hold", 9.9), 0);
  assert.equal(at("hold", 10), 20);
});

test("level handles a third of the way long are the smooth curve's cubic", () => {
  const raw = {
    sort: "keyed",
    keys: [
      { frame: 0, value: 0, ease: "handles", leave: [3, 0] },
      { frame: 9, value: 9, arrive: [-3, 0] },
    ],
  };
  for (const frame of [1, 4.5, 8]) {
    const t = frame / 9;
    assert.ok(Math.abs(keyedAt(raw, frame) - 9 * t * t * (3 - 2 * t)) < 1e-6);
  }
});

test("outside of the keys they hold, repeat, mirror or go on", () => {
  const raw = keyed([10, 0], [20, 10]);
  const at = (rule, frame) => keyedAt({ ...raw, before: rule, after: rule }, frame);
  assert.deepEqual([at("hold", 0), at("hold", 30)], [0, 10]);
  assert.deepEqual([at("repeat", 23), at("repeat", 8)], [3, 8]);
  assert.deepEqual([at("mirror", 23), at("mirror", 8)], [7, 2]);
  assert.ok(Math.abs(at("continue", 25) - 15) < 1e-6 && Math.abs(at("continue", 5) + 5) < 1e-6);
});

test("moved keys take the place of those that they land on", () => {
  const raw = keyed([0, 1], [10, 2], [20, 3]);
  assert.deepEqual(frames(moved(raw, new Set([1]), 10)), [
    [0, 1],
    [20, 2],
  ]);
  assert.deepEqual(frames(moved(raw, new Set([0, 1]), 5, 0.5)), [
    [5, 1.5],
    [15, 2.5],
    [20, 3],
  ]);
  assert.deepEqual(frames(raw), [
    [0, 1],
    [10, 2],
    [20, 3],
  ]);
});

test("stretching scales the time between keys and their handles", () => {
  const raw = {
    sort: "keyed",
    keys: [
      { frame: 10, value: 1, leave: [4, 2] },
      { frame: 20, value: 2 },
      { frame: 50, value: 3 },
    ],
  };
  const made = stretched(raw, new Set([0, 1]), 10, 2);
  assert.deepEqual(frames(made), [
    [10, 1],
    [30, 2],
    [50, 3],
  ]);
  assert.deepEqual(made.keys[0].leave, [8, 2]);
});

test("without its last key a value keeps its number", () => {
  assert.equal(without(keyed([4, 7]), new Set([0])), 7);
  assert.deepEqual(frames(without(keyed([0, 1], [5, 2]), new Set([0]))), [[5, 2]]);
});

test("handles are given to both ends of a way, and taken away again", () => {
  const raw = keyed([0, 0], [30, 9]);
  const made = eased(raw, new Set([0]), "handles");
  assert.deepEqual(made.keys[0], { frame: 0, value: 0, ease: "handles", leave: [10, 0] });
  assert.deepEqual(made.keys[1].arrive, [-10, 0]);
  assert.equal(eased(made, new Set([0]), "linear").keys[0].leave, undefined);
});

test("pasted keys begin at the playhead", () => {
  const copied = keyed([40, 1], [46, 2]).keys;
  assert.deepEqual(frames(pasted(keyed([0, 9], [12, 8]), copied, 6)), [
    [0, 9],
    [6, 1],
    [12, 2],
  ]);
  assert.deepEqual(frames(pasted(5, copied, 0)), [
    [0, 1],
    [6, 2],
  ]);
});

test("a recorded change keeps what was at the start", () => {
  assert.deepEqual(frames(recorded(3, 8, 24)), [
    [0, 3],
    [24, 8],
  ]);
  assert.deepEqual(frames(recorded(3, 8, 0)), [[0, 8]]);
  assert.deepEqual(frames(recorded(keyed([0, 3], [24, 8]), 5, 12)), [
    [0, 3],
    [12, 5],
    [24, 8],
  ]);
});

test("a handle stays on its side, and takes the other one along unless it is alone", () => {
  const raw = {
    sort: "keyed",
    keys: [
      { frame: 0, value: 0 },
      { frame: 10, value: 5, ease: "handles", leave: [3, 0], arrive: [-4, 0] },
    ],
  };
  assert.deepEqual(bent(raw, 1, "leave", [2, 6], false).keys[1], { ...raw.keys[1], leave: [2, 6], arrive: [-4, -12] });
  assert.deepEqual(bent(raw, 1, "leave", [2, 6], true).keys[1], { ...raw.keys[1], leave: [2, 6] });
  assert.deepEqual(bent(raw, 1, "arrive", [3, 1], true).keys[1].arrive, [0, 1]);
  assert.deepEqual(raw.keys[1].leave, [3, 0]);
});

test("the size of the picture and the clock stay the same at all frames", () => {
  const moving = { can_move: true };
  for (const pointer of ["/clock/fps", "/frame/width", "/frame/height"]) assert.equal(canMove(moving, pointer), false);
  for (const pointer of ["/frame/haze", "/frame/colour", "/figures/0/routine/0/settings/width"])
    assert.equal(canMove(moving, pointer), true);
  assert.equal(canMove({ can_move: false }, "/frame/haze"), false);
  assert.equal(canMove(undefined, "/figures/0/name"), false);
});
