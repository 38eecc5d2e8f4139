// A page without a browser and a server without a network, for what keeps the state.

import { applyPatch } from "../../studio/static/studio/js/lib/json-patch.js";

/** Return the bytes of a frame packet with a header and no buffers. */
export function packet(header) {
  const text = new TextEncoder().encode(JSON.stringify({ drawables: [], masks: {}, buffers: [], ...header }));
  const bytes = new Uint8Array(8 + text.length);
  bytes.set([..."PRT1"].map((letter) => letter.charCodeAt(0)));
  new DataView(bytes.buffer).setUint32(4, text.length, true);
  bytes.set(text, 8);
  return bytes;
}

export class PretendServer {
  constructor(document) {
    this.document = document;
    this.revision = 0;
    this.asked = [];
    this.waiting = [];
    // What the next answers are: functions of the request's body; without one the edit is simply carried out.
    this.answers = [];
    globalThis.document = { cookie: "csrftoken=t" };
    globalThis.requestAnimationFrame = (callback) => setTimeout(() => callback(performance.now()), 4);
    globalThis.fetch = (path, { body, signal }) => this.fetch(path, body && JSON.parse(body), signal);
  }

  async fetch(path, body, signal) {
    const what = path.split("?")[0].split("/").at(-1);
    this.asked.push({ what, body });
    if (what === "checks") return json({ revision: this.revision, lanes: [], seam: null, notes: [] });
    if (what === "frames") return this.stream(body, signal);
    if (what === "hurry") {
      this.waiting.shift()?.();
      return new Response(null, { status: 204 });
    }
    const answer = this.answers.shift();
    if (answer) return answer(body);
    return this.carriedOut(body);
  }

  carriedOut(body) {
    if (body.revision !== this.revision)
      return json({ message: "changed", document: this.document, ...this.history() }, 409);
    this.revision += 1;
    if (body.patch) this.document = applyPatch(this.document, body.patch);
    return this.told(body);
  }

  told(body) {
    return bytes(packet({ ...this.history(body), ...(body.patch ? { patch: body.patch } : {}) }));
  }

  history({ frame = 0 } = {}) {
    return { frame, revision: this.revision, saved: "2026-01-01T00:00:00Z", canUndo: true, canRedo: false };
  }

  /** An answer that comes only when it is hurried, and then without a picture. */
  held(body) {
    return new Promise((resolve) => {
      this.waiting.push(() => {
        this.revision += 1;
        resolve(json(this.history(body)));
      });
    });
  }

  stream(body) {
    const parts = body.frames.map((frame) => {
      const one = packet({ frame });
      const whole = new Uint8Array(4 + one.length);
      new DataView(whole.buffer).setUint32(0, one.length, true);
      whole.set(one, 4);
      return whole;
    });
    return new Response(new Blob(parts).stream(), { headers: { "Content-Type": "application/octet-stream" } });
  }

  patches() {
    return this.asked.filter(({ what }) => what === "patch").map(({ body }) => body);
  }
}

const json = (content, status = 200) =>
  new Response(JSON.stringify(content), { status, headers: { "Content-Type": "application/json" } });
const bytes = (content) => new Response(content, { headers: { "Content-Type": "application/octet-stream" } });

export const refused = (message) => () => json({ problems: [{ path: "name", message, code: "x" }] }, 422);
export const lost = () => {
  throw new TypeError("fetch failed");
};

export const DOCUMENT = {
  name: "Test",
  clock: { fps: 24, frames: 8, loops: true },
  figures: [],
  fields: [],
  finish: [],
};

export async function until(check, seconds = 5) {
  const end = performance.now() + seconds * 1000;
  while (!check()) {
    if (performance.now() > end) throw new Error(`never true: ${check}`);
    await new Promise((resolve) => setTimeout(resolve, 5));
  }
}
