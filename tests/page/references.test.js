// What refers to a thing that is removed, of all that a scene has.

import assert from "node:assert/strict";
import { test } from "node:test";
import { releaseOperations } from "../../studio/static/studio/js/panels/references.js";

const source = { name: "source", sort: "reference", choices: ["lights", "guides"] };
const document = {
  figures: [],
  guides: [{ id: "lamp", name: "Lamp" }],
  finish: [
    { id: "a", kind: "glow", settings: {} },
    { id: "b", kind: "flare", settings: { source: "lamp" } },
    { id: "c", kind: "flare", settings: { source: "sun" } },
  ],
};
const store = {
  document,
  kinds: { finishes: { glow: { settings: [] }, flare: { settings: [source] } }, lights: {} },
  catalogue: { things: { place: [], camera: [], joining: [] } },
  valueAt: (pointer) => document.finish[pointer.split("/")[2]].settings.source,
};

test("an effect lets go of a guide that it comes from, and only that one", () => {
  const path = "/finish/1/settings/source";
  assert.deepEqual(releaseOperations(store, "guides", "lamp"), [{ op: "replace", path, value: null }]);
  assert.deepEqual(releaseOperations(store, "figures", "lamp"), []);
});
