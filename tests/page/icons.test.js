// Every icon that the page asks for is in the sprite.

import assert from "node:assert/strict";
import { readFileSync, readdirSync } from "node:fs";
import { test } from "node:test";

const STATIC = new URL("../../studio/static/studio/", import.meta.url);
const sources = readdirSync(new URL("js/", STATIC), { recursive: true })
  .filter((name) => name.endsWith(".js"))
  .map((name) => readFileSync(new URL(`js/${name}`, STATIC), "utf8"));
const sprite = new Set(
  [...readFileSync(new URL("vendor/lucide/icons.svg", STATIC), "utf8").matchAll(/<symbol id="([^"]+)"/g)].map(
    (match) => match[1],
  ),
);

const words = (text) => [...text.matchAll(/"([a-z][a-z_-]*)"/g)].map((match) => match[1]);

/** What stands between the brackets of every call of `icon`, without the condition of one that chooses. */
function calls(source) {
  return [...source.matchAll(/\bicon\(/g)].map(({ index }) => {
    const begin = index + "icon(".length;
    let depth = 1;
    let end = begin;
    for (; depth; end += 1) depth += { "(": 1, ")": -1 }[source[end]] ?? 0;
    const inside = source.slice(begin, end - 1);
    return inside.slice(inside.search(/ \? /) + 1);
  });
}

test("every icon that is asked for is in the sprite", () => {
  const named = sources.flatMap(calls).flatMap(words);
  assert.ok(
    ["plus", "path", "up", "eye-off"].every((name) => named.includes(name)),
    named.join(" "),
  );
  assert.deepEqual(
    named.filter((name) => !sprite.has(name)),
    [],
  );
});
