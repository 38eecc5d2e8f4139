// The page's pure modules.

import assert from "node:assert/strict";
import { test } from "node:test";
import { applyPatch, pointerParts, setOperations, valueAt } from "../../studio/static/studio/js/lib/json-patch.js";
import { groupedBy, stretchesOf } from "../../studio/static/studio/js/lib/lists.js";
import { fitNumber, readSum, scrubStep, showNumber, showSeconds } from "../../studio/static/studio/js/lib/numbers.js";
import { readPacket, readStream } from "../../studio/static/studio/js/lib/packet.js";
import { progressWords } from "../../studio/static/studio/js/panels/progress.js";
import { closer, framing, lookAround, slide } from "../../studio/static/studio/js/viewport/orbit.js";

const number = { sort: "number", soft: [0, 100], hard: [0, null] };

test("a patch leaves the document itself as it was", () => {
  const document = { a: [1, 2, 3], b: { c: 1 } };
  const changed = applyPatch(document, [
    { op: "replace", path: "/b/c", value: 5 },
    { op: "add", path: "/a/1", value: 9 },
    { op: "remove", path: "/a/0" },
    { op: "move", from: "/a/2", path: "/a/0" },
    { op: "copy", from: "/b", path: "/d" },
    { op: "add", path: "/a/-", value: 7 },
  ]);
  assert.deepEqual(changed, { a: [3, 9, 2, 7], b: { c: 5 }, d: { c: 5 } });
  assert.deepEqual(document, { a: [1, 2, 3], b: { c: 1 } });
});

test("pointers are read with their escapes", () => {
  assert.deepEqual(pointerParts("/a~1b/0/~0c"), ["a/b", "0", "~c"]);
  assert.equal(valueAt({ "a/b": [{ "~c": 4 }] }, "/a~1b/0/~0c"), 4);
  assert.equal(valueAt({ a: null }, "/a/b/c"), undefined);
});

test("a value is set with the objects around it, whether they are there or not", () => {
  for (const document of [{ a: { b: 1 } }, { a: {} }, {}]) {
    assert.equal(applyPatch(document, setOperations(document, "/a/b", 2)).a.b, 2);
  }
  assert.equal(setOperations({ a: { b: 1 } }, "/a/b", 2)[0].op, "replace");
});

test("sums are read as people write them", () => {
  const read = {
    "360/7": 360 / 7,
    "2*(3+4)": 14,
    " -5 ": -5,
    "−5": -5,
    "1.5e2": 150,
    "3 × 4": 12,
    "0,5": 0.5,
    "90°": 90,
    "--3": 3,
    "10 - 4 - 3": 3,
  };
  for (const [text, value] of Object.entries(read)) assert.equal(readSum(text), value, text);
});

test("what is no sum is refused", () => {
  for (const text of ["", "abc", "1 2", "(1", "1)", "1/0", "alert(1)", "2**3", "1+", "NaN", "Infinity"])
    assert.equal(readSum(text), null, text);
});

test("numbers are shown short", () => {
  assert.equal(showNumber(0.123456), "0.123");
  assert.equal(showNumber(-12.3456), "−12.35");
  assert.equal(showNumber(1234.56), "1235");
  assert.equal(showNumber(60), "60");
  assert.equal(showNumber(NaN), "–");
});

test("numbers are brought into the hard range and onto their step", () => {
  assert.equal(fitNumber(number, -5, 0), 0);
  assert.equal(fitNumber(number, 500, 0), 500);
  assert.equal(fitNumber(number, 3.14159, 0.1), 3.1);
  assert.equal(fitNumber({ ...number, sort: "integer" }, 2.6, 0), 3);
  assert.ok(scrubStep(number, 5) > 0);
});

test("times are said in seconds or minutes", () => {
  assert.equal(showSeconds(0.4), "1 s");
  assert.equal(showSeconds(300), "5 min");
  assert.equal(showSeconds(null), "");
});

/** The bytes of a packet, written here independently of the server. */
function packet(header, arrays) {
  const buffers = [];
  let offset = 0;
  const chunks = [];
  for (const [key, array] of Object.entries(arrays)) {
    buffers.push({
      key,
      type: array.constructor.name.replace("Array", "").toLowerCase(),
      shape: [array.length],
      offset,
    });
    const padded = Math.ceil(array.byteLength / 8) * 8;
    chunks.push([offset, new Uint8Array(array.buffer)]);
    offset += padded;
  }
  let text = JSON.stringify({ ...header, buffers });
  text += " ".repeat((8 - (text.length % 8)) % 8);
  const data = new Uint8Array(8 + text.length + offset);
  data.set(new TextEncoder().encode("PRT1"));
  new DataView(data.buffer).setUint32(4, text.length, true);
  data.set(new TextEncoder().encode(text), 8);
  for (const [at, bytes] of chunks) data.set(bytes, 8 + text.length + at);
  return data.buffer;
}

test("a packet gives its header and buffers", () => {
  const { header, buffers } = readPacket(
    packet({ frame: 3 }, { a: new Float32Array([1, 2.5]), b: new Uint16Array([7, 8, 9]), c: new Uint8Array([255]) }),
  );
  assert.equal(header.frame, 3);
  assert.deepEqual([...buffers.get("a")], [1, 2.5]);
  assert.deepEqual([...buffers.get("b")], [7, 8, 9]);
  assert.deepEqual([...buffers.get("c")], [255]);
  assert.throws(() => readPacket(new ArrayBuffer(16)), /not a frame packet/);
});

function bodyOf(bytes, chunk) {
  let at = 0;
  return {
    getReader: () => ({
      read: async () => (at >= bytes.length ? { done: true } : { done: false, value: bytes.slice(at, (at += chunk)) }),
    }),
  };
}

test("a stream is cut into its packets however it arrives", async () => {
  const one = new Uint8Array(packet({ frame: 0 }, { a: new Float32Array([1]) }));
  const two = new Uint8Array(packet({ frame: 1 }, {}));
  const problem = new TextEncoder().encode("frame 2 cannot be computed");
  const bytes = new Uint8Array(4 + one.length + 4 + two.length + 8 + problem.length);
  const view = new DataView(bytes.buffer);
  view.setUint32(0, one.length, true);
  bytes.set(one, 4);
  view.setUint32(4 + one.length, two.length, true);
  bytes.set(two, 8 + one.length);
  view.setUint32(8 + one.length + two.length, 0, true);
  view.setUint32(12 + one.length + two.length, problem.length, true);
  bytes.set(problem, 16 + one.length + two.length);
  for (const chunk of [1, 7, 64, 100000]) {
    const frames = [];
    const problems = [];
    await readStream(
      bodyOf(bytes, chunk),
      (data) => frames.push(readPacket(data).header.frame),
      (text) => problems.push(text),
    );
    assert.deepEqual(frames, [0, 1]);
    assert.deepEqual(problems, ["frame 2 cannot be computed"]);
  }
});

const view = { position: [0, 0, 100], forward: [0, 0, -1], up: [0, 1, 0], tangent: 0.5, pivot: [0, 0, 0] };
const length = (v) => Math.hypot(...v);

test("looking around keeps the distance and the pivot in the middle", () => {
  const turned = lookAround(view, 120, -40);
  assert.ok(Math.abs(length(turned.position) - 100) < 1e-9);
  const towards = turned.position.map((value) => -value / 100);
  turned.forward.forEach((value, axis) => assert.ok(Math.abs(value - towards[axis]) < 1e-9));
});

test("sliding moves what lies at the pivot with the pointer", () => {
  const slid = slide(view, 50, 0, 100);
  assert.deepEqual(slid.forward, view.forward);
  assert.ok(Math.abs(slid.position[0] + 50) < 1e-9);
});

test("coming closer never passes the pivot", () => {
  let near = view;
  for (let k = 0; k < 50; k += 1) near = closer(near, -300);
  assert.ok(near.position[2] > 0 && near.position[2] < 1e-3);
});

test("framing puts a ball wholly into view", () => {
  const framed = framing(view, [10, 20, 30], 40);
  const distance = length(framed.position.map((value, axis) => value - [10, 20, 30][axis]));
  assert.ok(distance * view.tangent * 0.56 > 40);
});

test("frames that follow each other are one stretch", () => {
  assert.deepEqual(stretchesOf(new Set([5, 0, 1, 2, 9, 4]), 9), [
    [0, 3],
    [4, 6],
  ]);
  assert.deepEqual(stretchesOf(new Set(), 9), []);
});

test("how far a simulation has come is told in words", () => {
  const progress = { figure: "Knot", kind: "strands", done: 40, of: 96, settles: true };
  assert.equal(progressWords(progress), "Knot: strands settling, 40 of 96");
  assert.equal(progressWords({ ...progress, settles: false }), "Knot: strands moving on, 40 of 96");
});

test("what a patch leaves alone is the same in both documents, and the first stays as it is", () => {
  const before = { figures: [{ id: "a", place: { at: 1 } }, { id: "b" }], name: "One" };
  const kept = structuredClone(before);
  const after = applyPatch(before, [
    { op: "replace", path: "/figures/0/place/at", value: 2 },
    { op: "add", path: "/figures/0/looks", value: [] },
  ]);
  assert.deepEqual(before, kept);
  assert.equal(after.figures[1], before.figures[1]);
  assert.notEqual(after.figures[0], before.figures[0]);
  assert.deepEqual(after.figures[0], { id: "a", place: { at: 2 }, looks: [] });
  // What is moved or copied, too; a copy is one of its own.
  const moved = applyPatch(before, [{ op: "move", from: "/figures/1", path: "/figures/0" }]);
  assert.deepEqual(
    moved.figures.map(({ id }) => id),
    ["b", "a"],
  );
  const copied = applyPatch(before, [{ op: "copy", from: "/figures/0", path: "/figures/-" }]);
  assert.deepEqual(copied.figures[2], before.figures[0]);
  assert.notEqual(copied.figures[2], before.figures[0]);
  assert.deepEqual(before, kept);
  // What is put in is not what was given: whoever gave it may go on with it.
  const value = { deep: [1] };
  const added = applyPatch(before, [{ op: "add", path: "/more", value }]);
  value.deep.push(2);
  assert.deepEqual(added.more, { deep: [1] });
  assert.throws(() => applyPatch(before, [{ op: "replace", path: "/gone/at", value: 1 }]), TypeError);
});

test("things are grouped in their order", () => {
  const groups = groupedBy([1, 2, 3, 4, 5], (number) => number % 2);
  assert.deepEqual(
    [...groups],
    [
      [1, [1, 3, 5]],
      [0, [2, 4]],
    ],
  );
});
