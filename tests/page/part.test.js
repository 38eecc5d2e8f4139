import assert from "node:assert/strict";
import test from "node:test";
import { draggedPart, movedPart } from "../../studio/static/studio/js/lib/part.js";

const rounded = (part) => part.map((value) => Math.round(value * 1000) / 1000);

test("a part lies between the places that were dragged over, in whatever direction", () => {
  assert.deepEqual(draggedPart([0.2, 0.8], [0.6, 0.3]), [0.2, 0.3, 0.6, 0.8]);
  assert.deepEqual(draggedPart([0.6, 0.3], [0.2, 0.8]), [0.2, 0.3, 0.6, 0.8]);
});

test("a part stays in the picture and is never empty", () => {
  assert.deepEqual(draggedPart([-3, 0.5], [9, 2]), [0, 0.5, 1, 1]);
  assert.deepEqual(rounded(draggedPart([0.5, 0.5], [0.5, 0.5])), [0.49, 0.49, 0.51, 0.51]);
  assert.deepEqual(rounded(draggedPart([1, 1], [2, 2])), [0.98, 0.98, 1, 1]);
  assert.deepEqual(rounded(draggedPart([-1, 0], [0, 0])), [0, 0, 0.02, 0.02]);
});

test("keys move a part as far as the picture reaches, or its far sides alone", () => {
  assert.deepEqual(rounded(movedPart([0.3, 0.3, 0.7, 0.7], 0.02, -0.02, false)), [0.32, 0.28, 0.72, 0.68]);
  assert.deepEqual(rounded(movedPart([0.3, 0.3, 0.7, 0.7], 0.5, 0, false)), [0.6, 0.3, 1, 0.7]);
  assert.deepEqual(rounded(movedPart([0.3, 0.3, 0.7, 0.7], 0.5, -0.5, true)), [0.3, 0.3, 1, 0.32]);
});
