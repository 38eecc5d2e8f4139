// Values that handles move, edits that several figures get, places as matrices, and the outlines of what is not drawn.

import assert from "node:assert/strict";
import { test } from "node:test";
import { applyPatch } from "../../studio/static/studio/js/lib/json-patch.js";
import {
  carry,
  carryBack,
  carryWay,
  degreesOf,
  IDENTITY,
  multiply,
  place,
  turning,
} from "../../studio/static/studio/js/lib/matrix.js";
import { mirrored } from "../../studio/static/studio/js/lib/mirror.js";
import { withKey } from "../../studio/static/studio/js/lib/keys.js";
import { lengthened, nodesNow, toggled } from "../../studio/static/studio/js/lib/nodes.js";
import { sortOf } from "../../studio/static/studio/js/lib/sort.js";
import { movedTo, vectorMovedTo } from "../../studio/static/studio/js/lib/values.js";
import {
  ballLines,
  onCircle,
  planeLines,
  regionLines,
  sectorLines,
} from "../../studio/static/studio/js/viewport/outlines.js";

const near = (found, wanted, within = 1e-9) =>
  found.forEach((value, k) => assert.ok(Math.abs(value - wanted[k]) < within, `${found} is not ${wanted}`));

test("a fixed value is moved to what is wanted", () => {
  assert.equal(movedTo(3, 3, 7.12345, 0), 7.123);
});

test("a keyed value gets a key at the playhead and keeps the others", () => {
  const raw = {
    sort: "keyed",
    keys: [
      { frame: 0, value: 0, ease: "linear" },
      { frame: 20, value: 10 },
    ],
  };
  const moved = movedTo(raw, 5, 8, 10);
  assert.deepEqual(moved.keys, [
    { frame: 0, value: 0, ease: "linear" },
    { frame: 10, value: 8, ease: "linear" },
    { frame: 20, value: 10 },
  ]);
  assert.equal(raw.keys.length, 2);
});

test("a key that is there already is moved, not doubled", () => {
  const keys = withKey([{ frame: 0, value: 1, ease: "hold" }], 0, 9);
  assert.deepEqual(keys, [{ frame: 0, value: 9, ease: "hold" }]);
});

test("a swing moves its middle", () => {
  assert.deepEqual(movedTo({ sort: "swing", middle: 10, amount: 4 }, 12, 15, 3), {
    sort: "swing",
    middle: 13,
    amount: 4,
  });
});

test("a formula moves its base, and learns to use it", () => {
  assert.deepEqual(movedTo({ sort: "formula", text: "base + wave(turn)", base: 2 }, 2.5, 4.5, 0), {
    sort: "formula",
    text: "base + wave(turn)",
    base: 4,
  });
  assert.deepEqual(movedTo({ sort: "formula", text: "wave(turn)" }, 0, 3, 0), {
    sort: "formula",
    text: "(wave(turn)) + base",
    base: 3,
  });
});

test("the four sorts are told apart", () => {
  assert.deepEqual([3, "#fff", [1, 2, 3], null, { sort: "keyed" }].map(sortOf), [
    "fixed",
    "fixed",
    "fixed",
    "fixed",
    "keyed",
  ]);
});

test("only the parts of a vector that move are written anew", () => {
  const swing = { sort: "swing", middle: 1, amount: 1 };
  assert.deepEqual(vectorMovedTo([0, swing, 5], [0, 1.5, 5], [7, 1.5, 5], 0), [7, swing, 5]);
});

const NODES = [
  { at: [0, 0, 0] },
  { at: [{ sort: "swing", middle: 10, amount: 4 }, 5, 0], leave: [1, 2, 3] },
  { at: [20, 0, 0] },
];

test("points of a curve are told in numbers, made corners and smooth, and one more goes on from the last", () => {
  const now = nodesNow(NODES, (part, way) => (typeof part === "number" ? part : way.length));
  assert.deepEqual(now[1], { at: ["1/at/0".length, 5, 0], leave: [1, 2, 3] });
  assert.deepEqual(toggled(NODES, now, 1)[1], { at: NODES[1].at });
  assert.deepEqual(toggled(NODES, now, 0)[0], { at: [0, 0, 0], arrive: [-1.2, -1, -0], leave: [1.2, 1, 0] });
  assert.deepEqual(lengthened(NODES, now).at(-1), { at: [34, -5, 0] });
});

const FIGURES = {
  figures: [
    {
      routine: [
        { kind: "box", settings: { width: 1 } },
        { kind: "shift", settings: {} },
        { kind: "twist", settings: { angle: 5 } },
        { kind: "twist", settings: { angle: 6 } },
      ],
    },
    {
      routine: [
        { kind: "box", settings: { width: 2 } },
        { kind: "twist", settings: { angle: 7 } },
        { kind: "twist", settings: { angle: 8 } },
      ],
    },
    { routine: [{ kind: "sphere", settings: {} }] },
  ],
};
const given = (pointer, value, others) =>
  applyPatch(FIGURES, mirrored(FIGURES, pointer, value, others)).figures.map((figure) =>
    figure.routine.map((step) => step.settings),
  );

test("other figures get a value at the step of the same kind and rank", () => {
  const [own, other, third] = given("/figures/0/routine/3/settings/angle", 99, [0, 1, 2]);
  assert.equal(own[3].angle, 6);
  assert.deepEqual(other, [{ width: 2 }, { angle: 7 }, { angle: 99 }]);
  assert.deepEqual(third, [{}]);
});

test("places are mirrored whatever the routines are", () => {
  const next = applyPatch(FIGURES, mirrored(FIGURES, "/figures/0/place/position/1", 4, [0, 2]));
  assert.deepEqual(next.figures[2].place, { position: { 1: 4 } });
});

test("what is no figure's is not mirrored", () => {
  assert.deepEqual(mirrored(FIGURES, "/fields/0/clauses/0/settings/size", 4, [0, 1]), []);
});

test("turns are about x, then y, then z", () => {
  near(carry(turning([90, 0, 0]), [0, 1, 0]), [0, 0, 1]);
  near(carry(turning([0, 90, 0]), [0, 0, 1]), [1, 0, 0]);
  near(carry(turning([0, 0, 90]), [1, 0, 0]), [0, 1, 0]);
  near(carry(turning([90, 0, 90]), [0, 1, 0]), [0, 0, 1]);
});

test("degrees are read back from a turn, near to those before", () => {
  for (const degrees of [
    [10, 20, 30],
    [-170, 60, 45],
    [5, -80, 175],
  ])
    near(degreesOf(turning(degrees), degrees), degrees, 1e-6);
  near(degreesOf(turning([0, 0, 10]), [0, 0, 725]), [0, 0, 730], 1e-6);
});

test("a place scales, turns and moves, in this order", () => {
  near(carry(place([5, 0, 0], [0, 0, 90], [2, 1, 1]), [1, 0, 0]), [5, 2, 0]);
  near(carry(IDENTITY, [1, 2, 3]), [1, 2, 3]);
});

test("places follow each other", () => {
  const outer = place([1, 2, 3], [0, 0, 90], [2, 2, 2]);
  const inner = place([4, 0, 0], [0, 0, 0], [1, 1, 1]);
  near(carry(multiply(outer, inner), [1, 1, 1]), carry(outer, carry(inner, [1, 1, 1])));
});

test("directions are carried there and back", () => {
  const matrix = place([9, 9, 9], [20, 30, 40], [2, 3, 4]);
  near(carryBack(matrix, carryWay(matrix, [1, -2, 3])), [1, -2, 3], 1e-9);
  assert.equal(carryBack(place([0, 0, 0], [0, 0, 0], [1, 0, 1]), [1, 1, 1]), null);
});

test("outlines lie on what they stand for", () => {
  for (const line of regionLines("ball"))
    for (const point of line) assert.ok(Math.abs(Math.hypot(...point) - 1) < 1e-9);
  for (const line of regionLines("block")) for (const point of line) assert.equal(Math.max(...point.map(Math.abs)), 1);
  for (const line of regionLines("column"))
    for (const [x, , z] of line) assert.ok(Math.abs(Math.hypot(x, z) - 1) < 1e-9);
  assert.equal(regionLines("funnel").length, 5);
  assert.equal(regionLines("ring", 0.4).length, 4);
  for (const point of planeLines("y", 7, 10)[0]) assert.equal(point[1], 7);
  near(onCircle("z", 90, 5), [0, 5, 0]);
  assert.deepEqual(sectorLines("z", 0, 90, 5)[0].at(0), [0, 0, 0]);
  for (const line of ballLines([1, 2, 3], 4))
    for (const point of line) assert.ok(Math.abs(Math.hypot(point[0] - 1, point[1] - 2, point[2] - 3) - 4) < 1e-9);
});
