// Scripts import one way: lib ← the state and its server ← panels and viewport ← the editor; nothing in a circle.

import assert from "node:assert/strict";
import { readFileSync, readdirSync } from "node:fs";
import { dirname, join, normalize } from "node:path";
import { test } from "node:test";

const ROOT = new URL("../../studio/static/studio/js/", import.meta.url).pathname;
const files = readdirSync(ROOT, { recursive: true })
  .filter((name) => name.endsWith(".js"))
  .map(normalize);
const graph = new Map(
  files.map((name) => [
    name,
    [...readFileSync(join(ROOT, name), "utf8").matchAll(/(?:from|import)\s*\(?\s*"(\.[^"]+)"/g)]
      .map(([, path]) => normalize(join(dirname(name), path)))
      .filter((path) => !path.includes("vendor")),
  ]),
);
const LAYERS = { lib: 0, ".": 1, "viewport/finishes": 2, viewport: 3, "viewport/handles": 3, controls: 2, panels: 4 };
const STARTS = new Set(["editor.js", "scenes.js", "theme.js", "theme-start.js"]);
const layer = (name) => (STARTS.has(name) ? 9 : LAYERS[dirname(name)]);

test("every script stands in a folder that has its place", () => {
  assert.deepEqual(
    files.filter((name) => layer(name) === undefined),
    [],
  );
});

test("folders import one way", () => {
  const wrong = [...graph].flatMap(([name, imports]) =>
    imports.filter((other) => layer(other) > layer(name)).map((other) => `${name} → ${other}`),
  );
  assert.deepEqual(wrong, []);
});

test("no scripts import each other in a circle", () => {
  const done = new Set();
  const circles = [];
  const walk = (name, way) => {
    if (way.includes(name)) circles.push([...way.slice(way.indexOf(name)), name].join(" → "));
    else if (!done.has(name)) {
      for (const other of graph.get(name) ?? []) walk(other, [...way, name]);
      done.add(name);
    }
  };
  for (const name of files) walk(name, []);
  assert.deepEqual(circles, []);
});

test("all that is imported is there", () => {
  assert.ok([...graph.values()].flat().length > 100);
  assert.deepEqual(
    [...graph.values()].flat().filter((name) => !graph.has(name)),
    [],
  );
});
