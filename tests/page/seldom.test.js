// What happens often is followed seldom.

import assert from "node:assert/strict";
import { mock, test } from "node:test";
import { seldom } from "../../studio/static/studio/js/lib/seldom.js";

test("what is asked for often is done at once, then seldom, and at last once more", () => {
  mock.timers.enable({ apis: ["setTimeout"] });
  const done = [];
  let now = 0;
  const ask = seldom(() => done.push(now), 100);
  for (now = 0; now < 250; now += 20) {
    ask();
    mock.timers.tick(20);
  }
  mock.timers.tick(500);
  assert.deepEqual(done, [0, 80, 180, 260]);
  mock.timers.reset();
});

test("what is asked for once is done once", () => {
  mock.timers.enable({ apis: ["setTimeout"] });
  let count = 0;
  const ask = seldom(() => (count += 1), 100);
  ask();
  mock.timers.tick(1000);
  assert.equal(count, 1);
  ask();
  assert.equal(count, 2);
  mock.timers.reset();
});
