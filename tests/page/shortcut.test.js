// What shortcuts say is what they listen to.

import assert from "node:assert/strict";
import { test } from "node:test";
import { isPressed } from "../../studio/static/studio/js/lib/shortcut.js";

const press = (key, more = {}) => ({ key, ctrlKey: false, metaKey: false, shiftKey: false, ...more });

test("letters mind Shift and Ctrl", () => {
  assert.ok(isPressed("K", press("k")));
  assert.ok(!isPressed("K", press("K", { shiftKey: true })));
  assert.ok(isPressed("Shift K", press("K", { shiftKey: true })));
  assert.ok(!isPressed("Shift K", press("k")));
  assert.ok(!isPressed("K", press("k", { ctrlKey: true })));
  assert.ok(isPressed("Ctrl Shift Z", press("Z", { metaKey: true, shiftKey: true })));
  assert.ok(!isPressed("Ctrl Z", press("Z", { metaKey: true, shiftKey: true })));
});

test("a letter with Caps Lock is the same letter", () => {
  assert.ok(isPressed("F", press("F")));
});

test("signs are what is typed, on whatever key they lie", () => {
  assert.ok(isPressed("/", press("/", { shiftKey: true })));
  assert.ok(isPressed("?", press("?", { shiftKey: true })));
  assert.ok(isPressed("+ or =", press("=")));
  assert.ok(isPressed("+ or =", press("+", { shiftKey: true })));
  assert.ok(isPressed("−", press("-")));
});

test("keys with names are known by them", () => {
  assert.ok(isPressed("Space", press(" ")));
  assert.ok(isPressed("Del", press("Delete")));
  assert.ok(isPressed("Home", press("Home")));
  assert.ok(!isPressed("Home", press("h")));
});
