import assert from "node:assert/strict";
import test from "node:test";

import { addressOf, pointerOf, stretchesOf } from "../../studio/static/studio/js/lib/ids.js";

const DOCUMENT = {
  figures: [
    { id: "wall", routine: [{ id: "box" }, { id: "twist", settings: { angle: 3, place: [1, 2, 3] } }] },
    { id: "other", routine: [] },
  ],
};

test("addresses name items by their ids, and numbers of vectors by their place", () => {
  assert.equal(
    pointerOf(DOCUMENT, "/figures/wall/routine/twist/settings/place/2"),
    "/figures/0/routine/1/settings/place/2",
  );
  assert.equal(pointerOf(DOCUMENT, "figures/other"), "/figures/1");
});

test("what is not written yet has a pointer, what is gone has none", () => {
  assert.equal(pointerOf(DOCUMENT, "/figures/wall/routine/box/settings/width"), "/figures/0/routine/0/settings/width");
  assert.equal(pointerOf(DOCUMENT, "/figures/wall/routine/gone/settings/width"), null);
});

test("an address leads back to its pointer", () => {
  for (const pointer of ["/figures/0/routine/1/settings/place/2", "/figures/1", "/figures/0/routine/0/settings/width"])
    assert.equal(pointerOf(DOCUMENT, addressOf(DOCUMENT, pointer)), pointer);
});

test("steps of a phrase that follow each other are one stretch; others stand alone", () => {
  const routine = [{}, {}, { phrase: "a" }, { phrase: "a" }, { phrase: "b" }, {}, { phrase: "a" }];
  assert.deepEqual(
    stretchesOf(routine).map(({ first, count, id }) => [first, count, id]),
    [
      [0, 1, null],
      [1, 1, null],
      [2, 2, "a"],
      [4, 1, "b"],
      [5, 1, null],
      [6, 1, "a"],
    ],
  );
});
