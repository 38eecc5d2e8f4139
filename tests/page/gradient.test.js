// Gradients of colours.

import assert from "node:assert/strict";
import { test } from "node:test";
import { addedStop, colourAt, movedStop, withoutStop } from "../../studio/static/studio/js/lib/gradient.js";

const DUSK = [
  { at: 1, colour: "#ffffff" },
  { at: 0.5, colour: "#000000" },
];

test("a colour at a place is mixed of those beside it, whatever their order", () => {
  assert.equal(colourAt(DUSK, 0), "#000000");
  assert.equal(colourAt(DUSK, 0.75), "#808080");
  assert.equal(colourAt(DUSK, 1), "#ffffff");
  assert.equal(colourAt([{ at: 0.5, colour: "#123456" }], 0.9), "#123456");
});

test("a stop is added where it is wanted, or in the widest gap, and changes no colour", () => {
  assert.deepEqual(addedStop(DUSK, 0.75).at(-1), { at: 0.75, colour: "#808080" });
  assert.deepEqual(addedStop(DUSK).at(-1), { at: 0.25, colour: "#000000" });
  assert.deepEqual(addedStop([{ at: 0.9, colour: "#ff0000" }]).at(-1), { at: 0.45, colour: "#ff0000" });
  assert.equal(DUSK.length, 2);
});

test("a stop is moved along the strip, and the last one stays", () => {
  assert.equal(movedStop(DUSK, 1, 0.4321)[1].at, 0.432);
  assert.equal(movedStop(DUSK, 1, -3)[1].at, 0);
  assert.equal(movedStop(DUSK, 0, 7)[0].at, 1);
  assert.deepEqual(withoutStop(DUSK, 0), [DUSK[1]]);
  assert.deepEqual(withoutStop([DUSK[0]], 0), [DUSK[0]]);
});
