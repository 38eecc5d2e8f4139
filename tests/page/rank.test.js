// How what is looked for is ranked.

import assert from "node:assert/strict";
import { test } from "node:test";

import { rank } from "../../studio/static/studio/js/lib/rank.js";

const ENTRIES = [
  { title: "twist", words: "turn screw rotate spin deform", help: "Turn points about an axis." },
  {
    title: "shift",
    words: "move turn rotate modulate",
    help: "Move, turn, resize, colour, fade and delay all copies.",
  },
  { title: "glow", words: "bloom halo finish", help: "Add a wide soft halo around the bright parts of a picture." },
  { title: "keep size", words: "scale unscale modulate", help: "Undo the scale of the figure." },
  { title: "size of Ball", words: "setting", help: "How large it is.", weight: 0.3 },
  { title: "Glowing kite", words: "figure", help: "figure", weight: 0.1 },
  { title: "Render", words: "export save movie", help: "" },
];

const found = (text) =>
  ENTRIES.map((entry) => ({ title: entry.title, score: rank(entry, text) }))
    .filter(({ score }) => score >= 0)
    .sort((a, b) => a.score - b.score)
    .map(({ title }) => title);

test("what it is called comes before what else it is called, and that before what is told of it", () => {
  assert.deepEqual(found("glow"), ["glow", "Glowing kite"]);
  assert.deepEqual(found("twist")[0], "twist");
  assert.deepEqual(found("rotate"), ["twist", "shift"]);
  assert.deepEqual(found("colour"), ["shift"]);
  assert.deepEqual(found("export"), ["Render"]);
});

test("all words must be met, each anywhere", () => {
  assert.deepEqual(found("size ball"), ["size of Ball"]);
  assert.deepEqual(found("keep size"), ["keep size"]);
  assert.deepEqual(found("halo movie"), []);
});

test("beginnings of words are found while one types", () => {
  assert.deepEqual(found("blo"), ["glow"]);
  assert.deepEqual(found("rot"), ["twist", "shift"]);
  assert.equal(found("si")[0], "size of Ball");
});

test("nothing typed meets everything, in its order", () => {
  assert.deepEqual(
    found(" "),
    ENTRIES.map(({ title }) => title),
  );
});
