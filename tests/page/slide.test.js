import assert from "node:assert/strict";
import test from "node:test";

import { slid } from "../../studio/static/studio/js/lib/slide.js";

const OF = { step: 1, page: 10, least: 0, most: 95 };

test("arrows go by a step, pages by more, Home and End to the ends", () => {
  assert.equal(slid("ArrowRight", 4, OF), 5);
  assert.equal(slid("ArrowUp", 4, OF), 5);
  assert.equal(slid("ArrowLeft", 4, OF), 3);
  assert.equal(slid("ArrowDown", 4, OF), 3);
  assert.equal(slid("PageUp", 4, OF), 14);
  assert.equal(slid("PageDown", 4, OF), -6);
  assert.equal(slid("Home", 4, OF), 0);
  assert.equal(slid("End", 4, OF), 95);
});

test("other keys, and ends that there are not, do nothing", () => {
  assert.equal(slid("a", 4, OF), null);
  assert.equal(slid("Home", 4, { step: 1, page: 10 }), null);
});
