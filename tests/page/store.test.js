// The state of the page: edits are sent one after the other, sent again, refused, hurried; and frames are held.

import assert from "node:assert/strict";
import { test } from "node:test";
import { ApiError, untilAnswered } from "../../studio/static/studio/js/api.js";
import { Held, keysOf, Pool } from "../../studio/static/studio/js/held.js";
import { carriedOver } from "../../studio/static/studio/js/lib/rebase.js";
import { Outbox } from "../../studio/static/studio/js/outbox.js";
import { Playback } from "../../studio/static/studio/js/playback.js";
import { Store } from "../../studio/static/studio/js/store.js";
import { DOCUMENT, lost, PretendServer, refused, until } from "./pretend.js";

function opened(document = DOCUMENT) {
  const server = new PretendServer(document);
  const scene = { id: 7, document, revision: 0, saved: "2026-01-01T00:00:00Z", canUndo: false, canRedo: false };
  const store = new Store({
    scene,
    catalogue: { things: {}, formulas: {}, steps: [] },
    assets: [],
    formats: [],
    phrases: [],
  });
  return { server, store };
}

const named = (value) => [{ op: "replace", path: "/name", value }];
const idle = (store, seconds) => until(() => !store.sending && !store.hasUnsaved, seconds);

test("an edit shows at once and is saved", async () => {
  const { server, store } = opened();
  store.edit(named("A"));
  assert.equal(store.document.name, "A");
  assert.equal(store.state.saving, true);
  await idle(store);
  assert.equal(store.confirmed.name, "A");
  assert.equal(store.state.revision, 1);
  assert.equal(store.state.saving, false);
  assert.equal(server.patches().length, 1);
});

test("edits that come while one is on its way are sent together after it", async () => {
  const { server, store } = opened();
  for (const name of ["A", "B", "C"]) store.edit(named(name), { gesture: "drag" });
  await idle(store);
  assert.deepEqual(
    server.patches().map(({ patch }) => patch.map(({ value }) => value)),
    [["A"], ["C"]],
  );
  assert.deepEqual(
    server.patches().map(({ gesture }) => gesture),
    ["drag", "drag"],
  );
});

test("an edit whose answer was lost is sent again under the same name", async () => {
  const { server, store } = opened();
  server.answers = [lost];
  store.edit(named("A"));
  await until(() => server.patches().length === 2);
  await idle(store);
  const [first, second] = server.patches();
  assert.equal(first.id, second.id);
  assert.equal(store.confirmed.name, "A");
});

test("a refused edit leaves what was there, with the words and what was to be written", async () => {
  const { server, store } = opened();
  server.answers = [refused("too long")];
  store.edit(named("A".repeat(99)));
  await idle(store);
  assert.equal(store.document.name, "Test");
  assert.match(store.state.problem, /too long/);
  assert.equal(store.state.refused.get("/name").length, 99);
});

test("what is refused takes nothing along that waits behind it", async () => {
  const { server, store } = opened();
  server.answers = [refused("too long")];
  store.edit(named("A".repeat(99)));
  store.edit([{ op: "replace", path: "/clock/fps", value: 30 }]);
  await idle(store);
  assert.equal(store.document.name, "Test");
  assert.equal(store.document.clock.fps, 30);
  assert.equal(server.document.clock.fps, 30);
  assert.match(store.state.problem, /too long/);
});

test("what was built on a refused edit is refused with it, and nothing else", async () => {
  const { server, store } = opened();
  server.answers = [refused("no")];
  store.edit([{ op: "add", path: "/extra", value: {} }]);
  store.edit([{ op: "add", path: "/extra/more", value: 1 }]);
  store.edit(named("B"));
  await idle(store);
  assert.equal(store.document.name, "B");
  assert.equal(store.document.extra, undefined);
  assert.equal(server.document.name, "B");
});

for (const status of [500, 502, 503, 504, 429])
  test(`an answer of ${status} keeps the edit, says since when, and sends it again`, async () => {
    const { server, store } = opened();
    const told = [];
    store.on("waitingSince", ({ waitingSince }) => told.push(waitingSince));
    server.answers = [() => new Response("{}", { status, headers: { "Content-Type": "application/json" } })];
    store.edit(named("A"));
    store.edit(named("B"));
    await idle(store, 10);
    assert.equal(store.document.name, "B");
    assert.equal(server.document.name, "B");
    assert.ok(told[0]);
    assert.equal(store.state.waitingSince, null);
    assert.equal(new Set(server.patches().map(({ id }) => id)).size, 2);
  });

test("seven hundred moves without a server become one, and one step", async () => {
  const { server, store } = opened();
  server.answers = [lost];
  store.edit(named("A"));
  store.edit([{ op: "replace", path: "/clock/fps", value: 30 }]);
  for (let k = 0; k < 700; k += 1) store.edit(named(`B${k}`), k % 2 ? { gesture: "scrub" } : {});
  await idle(store, 10);
  assert.equal(server.document.name, "B699");
  assert.deepEqual(
    server.patches().map(({ patch }) => patch.length),
    [1, 1, 1, 1],
  );
});

test("undo without a server is done when it is back, once", async () => {
  const { server, store } = opened();
  store.edit(named("A"));
  await idle(store);
  const undone = (body) => {
    server.revision += 1;
    server.document = { ...server.document, name: "Test" };
    return server.told({ ...body, patch: named("Test") });
  };
  server.answers = [lost, undone];
  await store.undo();
  assert.equal(store.document.name, "Test");
  assert.equal(server.asked.filter(({ what }) => what === "undo").length, 2);
});

test("edits that wait are kept in the browser, taken up by another tab, and by one alone", () => {
  const kept = new Map();
  const storage = {
    setItem: (key, value) => (kept.set(key, value), (storage[key] = value)),
    getItem: (key) => kept.get(key) ?? null,
    removeItem: (key) => (kept.delete(key), delete storage[key]),
  };
  const held = new Set(["pirouette-outbox-7-alive"]);
  const locks = { request: (key, work) => held.has(key) || work() };
  const gone = new Outbox(storage, 7, "gone");
  gone.add(named("A"), null);
  gone.add([{ op: "replace", path: "/clock/fps", value: 30 }], null);
  new Outbox(storage, 7, "alive").add(named("C"), null);
  const taken = [];
  new Outbox(storage, 7, "mine").adopt(locks, (edits) => taken.push(...edits));
  assert.deepEqual(
    taken.map(({ patch }) => patch[0].value),
    ["A", 30],
  );
  // Until it is known whether they arrived, they are kept under the new tab's name.
  assert.deepEqual([...kept.keys()].sort(), ["pirouette-outbox-7-alive", "pirouette-outbox-7-mine"]);
});

test("left edits are kept until it is known whether they arrived, and never take the place of one under way", () => {
  const kept = new Map();
  const storage = {
    setItem: (key, value) => kept.set(key, value),
    getItem: (key) => kept.get(key) ?? null,
    removeItem: (key) => kept.delete(key),
  };
  const box = new Outbox(storage, 7, "mine");
  box.add(named("own"), null);
  box.isSending = true;
  const left = ["a", "b", "c", "d"].map((id, k) => ({ id, gesture: k < 2 ? "drag" : "", patch: named(id) }));
  box.unclear.push(...left);
  box.keep();
  assert.equal(JSON.parse(kept.get(box.key)).length, 5);
  // One gesture keeps the id of its last edit alone, so with "b" the one before it has arrived; "c" has not.
  box.settle(left, ["b", "d"]);
  assert.deepEqual(
    box.edits.map(({ patch }) => patch[0].value),
    ["own", "c"],
  );
  assert.equal(JSON.parse(kept.get(box.key)).length, 2);
});

test("an edit of what somebody else left alone is carried over, wherever it is now", () => {
  const before = {
    figures: [
      { id: "a", w: 1, h: 1 },
      { id: "b", w: 1 },
    ],
    name: "N",
  };
  const after = { figures: [{ id: "new" }, { id: "b", w: 1 }, { id: "a", w: 1, h: 9 }], name: "N" };
  assert.deepEqual(carriedOver([{ op: "replace", path: "/figures/0/w", value: 5 }], before, after), [
    { op: "replace", path: "/figures/2/w", value: 5 },
  ]);
  assert.equal(carriedOver([{ op: "replace", path: "/figures/0/h", value: 5 }], before, after), null);
  assert.deepEqual(carriedOver([{ op: "add", path: "/figures/2", value: {} }], before, after), [
    { op: "add", path: "/figures/3", value: {} },
  ]);
  assert.deepEqual(carriedOver([{ op: "remove", path: "/figures/1" }], before, after), [
    { op: "remove", path: "/figures/1" },
  ]);
  assert.equal(carriedOver([{ op: "remove", path: "/figures/0" }], before, after), null);
  assert.equal(carriedOver([{ op: "replace", path: "/figures/0/w", value: 2 }], before, { figures: [] }), null);
});

test("an edit on another value than somebody else's is saved beside it", async () => {
  const { server, store } = opened();
  server.revision = 5;
  server.document = { ...DOCUMENT, name: "Theirs" };
  store.edit([{ op: "replace", path: "/clock/fps", value: 30 }]);
  await idle(store);
  assert.equal(server.document.name, "Theirs");
  assert.equal(server.document.clock.fps, 30);
  assert.equal(store.document.name, "Theirs");
  assert.equal(store.document.clock.fps, 30);
});

test("somebody else's change is taken over, and told", async () => {
  const { server, store } = opened();
  let stale = 0;
  store.on("stale", () => (stale += 1));
  server.revision = 5;
  server.document = { ...DOCUMENT, name: "Theirs" };
  store.edit(named("Mine"));
  await idle(store);
  assert.equal(store.document.name, "Theirs");
  assert.equal(store.state.revision, 5);
  assert.match(store.state.problem, /name: theirs is Theirs, yours Mine/);
  assert.equal(store.state.refused.get("/name"), "Mine");
  store.useMine();
  await idle(store);
  assert.equal(server.document.name, "Mine");
  assert.equal(stale, 1);
});

test("a change that a newer one waits for is hurried once it takes long, and saved without its picture", async () => {
  const { server, store } = opened();
  const packets = [];
  store.on("packet", ({ packet }) => packets.push(packet.header.revision));
  server.answers = [(body) => server.held(body)];
  store.edit(named("A"), { gesture: "drag" });
  store.edit(named("B"), { gesture: "drag" });
  await until(() => server.asked.some(({ what }) => what === "hurry"));
  await idle(store);
  assert.equal(store.confirmed.name, "B");
  assert.equal(store.state.revision, 2);
  assert.deepEqual(packets, [2]);
});

test("only every second change is hurried, so that something is seen in the middle of a drag", async () => {
  const { server, store } = opened();
  const slow = (body) => new Promise((resolve) => setTimeout(() => resolve(server.carriedOut(body)), 400));
  server.answers = [(body) => server.held(body), slow];
  store.edit(named("A"));
  store.edit(named("B"));
  await until(() => server.patches().length === 2);
  store.edit(named("C"));
  await idle(store);
  assert.equal(server.asked.filter(({ what }) => what === "hurry").length, 1);
  assert.equal(store.confirmed.name, "C");
});

test("a move tells of the arrays that are shown, not of all that are held", async () => {
  const { server, store } = opened();
  const playback = new Playback(store, view());
  const drawable = { points: "p1", matrices: "m1", looks: [] };
  for (let k = 0; k < 50; k += 1) playback.pool.take(new Map([[`other${k}`, new Uint8Array(4)]]));
  playback.now.take({
    header: { frame: 0, lights: [], masks: {}, drawables: [drawable] },
    buffers: new Map([["p1", new Uint8Array(4)]]),
  });
  store.edit(named("A"));
  await idle(store);
  assert.deepEqual(server.patches()[0].have, ["p1"]);
  playback.now.end();
});

/** A view that keeps no pictures, or what is said of it. */
const view = (more = {}) => ({
  draw() {},
  took() {},
  wantPicture() {},
  flash: () => false,
  hasPicture: () => false,
  leavesOut: 0,
  ...more,
});

test("missing frames are fetched from the playhead onwards", async () => {
  const { server, store } = opened();
  store.state.frame = 3;
  const got = [];
  const held = new Held(store, new Pool(store), null, (frame) => got.push(frame));
  await held.fill();
  assert.deepEqual(got, [3, 4, 5, 6, 7, 0, 1, 2]);
  await held.fill();
  assert.equal(server.asked.filter(({ what }) => what === "frames").length, 1);
});

test("while a value moves only the shown frame is asked for, and no checks; what plays goes on", async () => {
  const { server, store } = opened();
  const asked = (name) => server.asked.filter(({ what }) => what === name);
  const held = new Held(store, new Pool(store), null, () => {});
  store.state.frame = 3;
  store.gesture = "move";
  await held.fill();
  await held.fill();
  assert.deepEqual(
    asked("frames").map(({ body }) => body.frames),
    [[3]],
  );
  await store.runChecks();
  assert.equal(asked("checks").length, 0);
  store.state.playing = true;
  await held.fill();
  assert.equal(asked("frames").at(-1).body.frames.length, 7);
  store.gesture = null;
  await store.runChecks();
  assert.equal(asked("checks").length, 1);
  clearTimeout(store.checkTimer);
});

test("arrays that no held frame uses go first when there are too many", () => {
  const { store } = opened();
  const pool = new Pool(store);
  const held = new Held(store, pool, null, () => {});
  const big = () => new Uint8Array(300 * 2 ** 20);
  pool.take(new Map([["old", big()]]));
  held.take({
    header: { frame: 0, lights: [], masks: {}, drawables: [{ points: "kept", looks: [] }] },
    buffers: new Map([["kept", big()]]),
  });
  pool.take(new Map([["new", big()]]));
  assert.deepEqual([...pool.buffers.keys()].includes("old"), false);
  assert.ok(pool.buffers.has("kept"));
});

test("of a loop that is too large to be held, what plays next is, and nothing is fetched for nothing", async () => {
  const { server, store } = opened();
  const pool = new Pool(store);
  const held = new Held(store, pool, null, () => {});
  const real = server.stream.bind(server);
  const asked = [];
  server.stream = (body) => {
    asked.push(body.frames);
    return real(body);
  };
  // Each frame takes a third of what there is room for.
  const arrive = (frame) =>
    held.take({
      header: { frame, lights: [], masks: {}, drawables: [{ points: `p${frame}`, looks: [] }] },
      buffers: new Map([[`p${frame}`, new Uint8Array(230 * 2 ** 20)]]),
    });
  assert.equal(held.isFilled, false);
  for (const frame of [0, 1, 2, 3]) arrive(frame);
  assert.deepEqual([...held.headers.keys()], [0, 1, 2]);
  assert.equal(held.isFilled, true);
  await held.fill();
  assert.deepEqual(asked, []);
  // Elsewhere, and across the seam.
  store.state.frame = 6;
  for (const frame of [6, 7]) arrive(frame);
  assert.deepEqual([...held.headers.keys()].sort(), [0, 6, 7]);
  await held.fill();
  assert.deepEqual(asked, []);
  held.forget();
  assert.equal(held.isFilled, false);
  held.end();
});

test("what plays by pictures asks for no frames until it stands still", async () => {
  const { server, store } = opened();
  const asked = () => server.asked.filter(({ what }) => what === "frames").length;
  server.stream = () => new Promise(() => {});
  const playback = new Playback(store, view({ playsPictures: true, hasPicture: () => true, flash: () => true }));
  await until(asked);
  const before = asked();
  const begun = playback.now.fetching;
  store.set({ playing: true });
  assert.equal(begun.signal.aborted, true);
  store.seek(5);
  await new Promise((resolve) => setTimeout(resolve, 300));
  assert.equal(asked(), before);
  store.set({ playing: false });
  await until(() => asked() > before);
  playback.now.end();
});

test("what cannot all be had in time plays in time, and leaves out the frames between", async () => {
  const { server, store } = opened();
  server.stream = () => new Promise(() => {});
  const drawn = [];
  const more = { playsPictures: true, leavesOut: 2, hasPicture: (frame) => frame % 3 === 0 };
  const playback = new Playback(store, view({ ...more, flash: (frame) => drawn.push(frame) > 0 }));
  const waiting = [];
  globalThis.requestAnimationFrame = (callback) => waiting.push(callback);
  const refresh = (ms) => waiting.splice(0).forEach((callback) => callback(ms));
  const frame = 1000 / store.clock.fps;
  store.set({ playing: true });
  for (let k = 0; k <= 14; k += 1) refresh(k * 0.5 * frame + 1);
  // Seven frames later: what belongs there, not what could be had until then.
  assert.deepEqual(drawn, [3, 6]);
  assert.equal(store.state.frame, 6);
  // Where none come the clock waits.
  more.hasPicture = () => false;
  Object.assign(playback.viewport, more);
  for (let k = 15; k <= 80; k += 1) refresh(k * 0.5 * frame + 1);
  assert.equal(store.state.frame, 6);
  Object.assign(playback.viewport, { hasPicture: () => true, leavesOut: 0 });
  drawn.length = 0;
  for (let k = 81; k <= 84; k += 1) refresh(k * 0.5 * frame + 1);
  assert.ok([7, 0, 1].includes(drawn[0]));
  store.set({ playing: false });
  playback.now.end();
});

test("all arrays of a frame are named", () => {
  const looks = [{ tints: "t", pointTints: "q", texture: { texels: "x", uvs: "u" } }];
  const header = {
    lights: [{ kind: "sun" }, { kind: "surroundings", panorama: { texels: "a" } }],
    masks: {},
    drawables: [{ points: "p", matrices: "m", triangles: "f", edges: "e", reach: "r", looks }],
  };
  assert.deepEqual([...keysOf(header)].sort(), ["a", "e", "f", "m", "p", "q", "r", "t", "u", "x"]);
});

test("playing shows frame after frame in time and begins again", async () => {
  const { store } = opened();
  const drawn = [];
  const playback = new Playback(store, view({ draw: (header) => drawn.push(header.frame) }));
  await until(() => playback.headers.size === 8);
  drawn.length = 0;
  // A screen that refreshes when it is told to, whatever else the machine does.
  const waiting = [];
  globalThis.requestAnimationFrame = (callback) => waiting.push(callback);
  const refresh = (ms) => waiting.splice(0).forEach((callback) => callback(ms));
  store.set({ playing: true });
  const frame = 1000 / store.clock.fps;
  for (let k = 0; k <= 20; k += 1) refresh(k * 0.5 * frame + 1);
  assert.deepEqual(drawn, [1, 2, 3, 4, 5, 6, 7, 0, 1, 2]);
  // A screen that is late leaves frames out.
  refresh(13 * frame + 1);
  assert.equal(drawn.at(-1), 5);
  store.set({ playing: false });
  playback.now.end();
});

test("a playhead that is scrubbed breaks off nothing, and shows what is near until its own frame has come", async () => {
  const { server, store } = opened();
  const drawn = [];
  const playback = new Playback(store, view({ draw: (header) => drawn.push(header.frame) }));
  const real = server.stream.bind(server);
  let give;
  server.stream = async (body) => (await new Promise((resolve) => (give = resolve)), real(body));
  const framesAsked = () => server.asked.filter(({ what }) => what === "frames").length;
  await until(() => give);
  for (const frame of [2, 3, 5]) store.scrub(frame);
  assert.equal(store.state.scrubbing, true);
  assert.equal(framesAsked(), 1);
  assert.deepEqual(drawn, []);
  const first = give;
  give = null;
  first();
  await until(() => drawn.length);
  // The first that came is that of where it began.
  assert.equal(drawn[0], 0);
  await until(() => store.state.scrubbing === false);
  if (give) give();
  await until(() => drawn.at(-1) === 5);
  playback.now.end();
});

test("what is not held plays by its pictures, and is fetched once it stands still", async () => {
  const { server, store } = opened();
  const flashed = [];
  const never = () => new Promise(() => {});
  server.stream = never;
  let wanted = 0;
  const playback = new Playback(
    store,
    view({
      // They come once they are asked for a few times.
      wantPicture: () => (wanted += 1),
      hasPicture: () => wanted > 2,
      flash: (frame) => flashed.push(frame) > 0,
    }),
  );
  const asked = () => server.asked.filter(({ what }) => what === "frames").length;
  await until(asked);
  const before = asked();
  store.set({ playing: true });
  await until(() => new Set(flashed).size === 8);
  assert.equal(asked(), before);
  store.set({ playing: false });
  await until(() => asked() > before);
  playback.now.end();
});

test("what was kept of frames is told by another stamp once they are others", () => {
  const { store } = opened();
  const held = new Held(store, new Pool(store), null, () => {});
  const before = held.stamp;
  held.take({ header: { frame: 0, lights: [], masks: {}, drawables: [] }, buffers: new Map() });
  assert.equal(held.stamp, before);
  held.forget();
  assert.notEqual(held.stamp, before);
});

test("a step is shown finely, one of many steps is scrubbing", () => {
  const { store } = opened();
  store.stepFrames(1);
  assert.deepEqual([store.state.frame, store.state.scrubbing], [1, false]);
  store.stepFrames(1);
  assert.deepEqual([store.state.frame, store.state.scrubbing], [2, true]);
  clearTimeout(store.scrubTimer);
});

test("frames that could not be fetched are asked for again by themselves", async () => {
  const { server, store } = opened();
  const playback = new Playback(store, view());
  const real = server.stream.bind(server);
  let asked = 0;
  server.stream = (body) => {
    asked += 1;
    if (asked === 1) return lost();
    if (asked === 2) return new Response("{}", { status: 503, headers: { "Content-Type": "application/json" } });
    return real(body);
  };
  playback.now.fillSoon(0);
  await until(() => playback.headers.size === 8, 10);
  assert.equal(asked, 3);
  playback.now.end();
});

test("what is asked patiently is asked again until it is answered, and told of meanwhile", async () => {
  const told = [];
  let tries = 0;
  const ask = async () => {
    tries += 1;
    if (tries < 3) throw new ApiError(503, { message: "busy" });
    return "done";
  };
  assert.equal(await untilAnswered(ask, (words) => told.push(words), 1), "done");
  assert.deepEqual(told, ["busy", "busy"]);
  await assert.rejects(
    untilAnswered(
      async () => Promise.reject(new ApiError(422, { message: "no" })),
      () => {},
      1,
    ),
    {
      status: 422,
    },
  );
});
