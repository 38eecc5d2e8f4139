// The tokens of the style sheets.

import assert from "node:assert/strict";
import { readFileSync } from "node:fs";
import { test } from "node:test";

const SHEETS = ["base", "editor", "pages"]
  .map((name) => new URL(`../../studio/static/studio/css/${name}.css`, import.meta.url))
  .flatMap((url) => {
    try {
      return [readFileSync(url, "utf8")];
    } catch {
      return [];
    }
  });

test("every token that is used has a value somewhere", () => {
  const text = SHEETS.join("\n");
  const given = new Set(text.match(/--[\w-]+(?=\s*:)/g));
  const used = new Set([...text.matchAll(/var\((--[\w-]+)\)/g)].map((match) => match[1]));
  assert.ok(used.size > 5);
  assert.deepEqual(
    [...used].filter((token) => !given.has(token) && !token.startsWith("--bs-")),
    [],
  );
});
