// Whether a setting means something, by those beside it.

import assert from "node:assert/strict";
import { test } from "node:test";

import { matters } from "../../studio/static/studio/js/lib/matters.js";

const all = [
  { name: "blend", default: "normal", only_if: {} },
  { name: "figures", default: [], only_if: {} },
  { name: "mirrored", default: true, only_if: { blend: ["additive"] } },
  { name: "counts", default: 1, only_if: { figures: ["chosen"], blend: ["normal", "additive"] } },
];
const [blend, , mirrored, counts] = all;

test("a setting matters by what is written beside it, or else by what that begins with", () => {
  const beside = (values) => (name) => values[name];
  assert.ok(matters(blend, all, beside({})));
  assert.ok(!matters(mirrored, all, beside({})));
  assert.ok(matters(mirrored, all, beside({ blend: "additive" })));
  assert.ok(!matters(counts, all, beside({})));
  assert.ok(matters(counts, all, beside({ figures: ["one"] })));
  assert.ok(!matters(counts, all, beside({ figures: ["one"], blend: "other" })));
});
