// Lanes: one for each value that moves, in the words of its step, with its curve and its keys.

import { h, refill, s } from "../lib/dom.js";
import { showNumber } from "../lib/numbers.js";

const LANE = 30;
const MARGIN = 54; // room beside both ends, where a loop shows what comes before and after

export class Lanes {
  constructor(store, element) {
    this.store = store;
    this.element = element;
    this.ruler = h("div.ruler");
    this.rows = h("div.lane-rows", { role: "list" });
    this.headline = h("div.playhead", { "aria-hidden": "true" });
    element.append(this.ruler, this.rows, this.headline);
    new ResizeObserver(() => this.show()).observe(element);
    store.on("lanes document gesture-end", () => store.gesture || this.show());
    store.on("frame", () => this.showFrame());
    this.listenRuler();
    this.show();
  }

  get label() {
    return Math.min(200, this.element.clientWidth * 0.28);
  }

  x(frame) {
    const room = this.element.clientWidth - this.label - MARGIN * 2;
    return this.label + MARGIN + (frame / this.store.clock.frames) * room;
  }

  frameAt(x) {
    const room = this.element.clientWidth - this.label - MARGIN * 2;
    return ((x - this.label - MARGIN) / room) * this.store.clock.frames;
  }

  show() {
    if (this.dragging) return;
    const { frames } = this.store.clock;
    const step = [1, 2, 3, 6, 12, 24, 48, 96, 120, 240, 480, 960].find((one) => (frames / one) * 44 < this.element.clientWidth - this.label) ?? frames;
    const marks = [];
    for (let frame = 0; frame <= frames; frame += step) {
      const mark = h("span", {}, String(frame));
      mark.style.left = `${this.x(frame)}px`;
      marks.push(mark);
    }
    this.ruler.replaceChildren(...marks);
    const { lanes } = this.store.state;
    refill(this.rows, lanes.length ? lanes.map((lane) => this.lane(lane)) : h("p.empty", {}, "Nothing moves by keys, swings or formulas yet. Focus a value and press K to key it."));
    this.showFrame();
  }

  lane(lane) {
    const words = [lane.where, lane.setting].filter(Boolean).join(" · ").replaceAll("_", " ");
    const row = h("div.lane", { role: "listitem", "data-lane": lane.pointer },
      h("button.lane-name", { type: "button", title: `${lane.name} · ${words}`, "data-focus": `${lane.pointer} lane`, onclick: () => this.open(lane) }, h("strong", {}, lane.name), ` · ${words}`),
      h("span.lane-now.mono", { "data-lane-now": lane.pointer }),
      this.curve(lane));
    for (const [index, key] of lane.keys.entries()) row.append(this.key(lane, key, index));
    return row;
  }

  open(lane) {
    const part = lane.pointer.replace(/\/(settings|joining|place)(\/.*)?$/, "");
    const thing = lane.pointer.match(/^\/(figures|fields)\/(\d+)/);
    if (thing) this.store.select(thing[1], this.store.document[thing[1]][Number(thing[2])].id);
    else this.store.set({ tab: lane.pointer.startsWith("/finish") ? "finish" : "space" });
    this.store.set({ open: part });
  }

  /** The curve over the scene, and faintly beyond both ends when it loops. */
  curve(lane) {
    const { frames, loops } = this.store.clock;
    const width = this.element.clientWidth;
    const low = Math.min(...lane.samples);
    const high = Math.max(...lane.samples);
    const y = (value) => (high - low < 1e-9 ? LANE / 2 : LANE - 5 - ((value - low) / (high - low)) * (LANE - 10));
    const points = lane.samples.map((value, k) => [Math.min(k * lane.step, frames), value]);
    const line = (shift) => points.map(([frame, value], k) => `${k ? "L" : "M"}${this.x(frame + shift).toFixed(1)} ${y(value).toFixed(1)}`).join("");
    const picture = s("svg", { width, height: LANE, class: `lane-curve ${lane.sort}`, "aria-hidden": "true" });
    if (loops) for (const shift of [-frames, frames]) picture.append(s("path", { d: line(shift), class: "beyond" }));
    picture.append(s("path", { d: line(0) }));
    return picture;
  }

  key(lane, key, index) {
    const { store } = this;
    const peg = h("button.peg", {
      type: "button",
      "aria-label": `Key of ${lane.name} ${lane.setting}: ${showNumber(key.value)} at frame ${key.frame}`,
      title: `${showNumber(key.value)} at frame ${key.frame}, then ${key.ease}. Drag to move; Delete removes; L linear`,
      "data-focus": `${lane.pointer} key ${index}`,
      "data-ease": key.ease,
    });
    peg.style.left = `${this.x(key.frame)}px`;
    let start = null;
    peg.addEventListener("pointerdown", (event) => {
      peg.setPointerCapture(event.pointerId);
      start = event.clientX;
      this.dragging = true;
    });
    peg.addEventListener("pointermove", (event) => {
      if (start === null) return;
      peg.style.left = `${this.x(Math.round(this.frameAt(this.x(key.frame) + event.clientX - start)))}px`;
    });
    peg.addEventListener("pointerup", (event) => {
      this.dragging = false;
      const frame = Math.round(this.frameAt(this.x(key.frame) + event.clientX - start));
      start = null;
      if (frame !== key.frame) this.move(lane, index, frame);
      else store.seek(key.frame);
    });
    peg.addEventListener("keydown", (event) => {
      const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
      if (by) this.move(lane, index, key.frame + by);
      else if (event.key === "Delete" || event.key === "Backspace") this.remove(lane, index);
      else if (event.key === "l" || event.key === "L") store.setValue(`${lane.pointer}/keys/${this.rawIndex(lane, index)}/ease`, "linear");
      else return;
      event.preventDefault();
      event.stopPropagation();
    });
    return peg;
  }

  /** Lanes list keys by frame; the document may hold them in another order. */
  rawIndex(lane, index) {
    return this.store.valueAt(lane.pointer).keys.findIndex((key) => key.frame === lane.keys[index].frame);
  }

  move(lane, index, frame) {
    const raw = this.store.valueAt(lane.pointer);
    const at = this.rawIndex(lane, index);
    if (raw.keys.some((key, k) => k !== at && key.frame === frame)) return this.store.set({ problem: `There is another key at frame ${frame}; keys cannot share a frame.` });
    const keys = raw.keys.map((key, k) => (k === at ? { ...key, frame } : key)).sort((a, b) => a.frame - b.frame);
    this.store.setValue(lane.pointer, { ...raw, keys });
  }

  remove(lane, index) {
    const raw = this.store.valueAt(lane.pointer);
    if (raw.keys.length === 1) this.store.setValue(lane.pointer, raw.keys[0].value);
    else this.store.edit([{ op: "remove", path: `${lane.pointer}/keys/${this.rawIndex(lane, index)}` }]);
  }

  showFrame() {
    this.headline.style.left = `${this.x(this.store.state.frame)}px`;
    for (const element of this.rows.querySelectorAll("[data-lane-now]")) {
      const now = this.store.liveValue(element.dataset.laneNow);
      element.textContent = now === undefined ? "" : showNumber(now);
    }
  }

  listenRuler() {
    let held = false;
    const seek = (event) => this.store.seek(this.frameAt(event.clientX - this.element.getBoundingClientRect().left));
    this.ruler.addEventListener("pointerdown", (event) => {
      held = true;
      this.ruler.setPointerCapture(event.pointerId);
      this.store.set({ playing: false });
      seek(event);
    });
    this.ruler.addEventListener("pointermove", (event) => held && seek(event));
    this.ruler.addEventListener("pointerup", () => (held = false));
  }
}
