// Lanes: one for each value that moves, in the words of its step, with its curve and its keys. One at a time opens to a
// larger curve. Keys are chosen singly, with Shift, or by a frame drawn around them, and then moved, eased or copied.

import { h, icon, refill, s } from "../lib/dom.js";
import { eased, inOrder, keyedAt, moved, pasted, stretched, without } from "../lib/keys.js";
import { READ_MS, seldom } from "../lib/seldom.js";
import { sortOf } from "../lib/sort.js";
import { listenKeyFrame } from "./key-frame.js";
import { showValue } from "../controls/value.js";
import { isColours, LaneCurve } from "./lane-curve.js";
import { plainWords } from "../lib/words.js";

const LANE = 30;
// So many colours of a lane are drawn, and what lies between them is blended.
const MOST_STOPS = 100;
const OPENED = 146; // what an opened lane is higher
const ROWS_AROUND = 8;
const MARGIN = 54; // room beside both ends, where a loop shows what comes before and after
const EASE_KEYS = { l: "linear", s: "smooth", h: "hold", b: "handles" };
const CLOSEST = 6; // frames
const LEFT_BEHIND = 0.1; // of what is shown, when it turns the page after the playhead

export class Lanes {
  constructor(store, element) {
    this.store = store;
    this.element = element;
    this.unfilled = new Map(); // rows that are out of sight and their lanes
    this.picked = new Map(); // pointer -> indices of chosen keys
    this.copied = null;
    this.opened = null; // the lane whose curve is open, and the one that shows its speed
    this.asSpeed = null;
    this.from = 0;
    this.span = null;
    this.ruler = h("div.ruler");
    this.tools = h("div.lane-tools");
    this.keyTools = h("div.key-tools.raised", { hidden: true, role: "toolbar", "aria-label": "The chosen keys" });
    this.rows = h("div.lane-rows", { role: "list" });
    this.headline = h("div.playhead", { "aria-hidden": "true" });
    element.append(this.ruler, this.tools, this.rows, this.headline, this.keyTools);
    // Asked for once: each time it is, the page is laid out again.
    this.width = element.clientWidth;
    new ResizeObserver(() => {
      this.width = element.clientWidth;
      this.show();
    }).observe(element);
    store.on("lanes document gesture-end recording", () => store.gesture || this.show());
    this.showValuesSeldom = seldom(() => this.showValues(), READ_MS);
    store.on("frame", () => this.follow());
    this.rows.addEventListener("scroll", () => this.fillNear());
    this.listenRuler();
    listenKeyFrame(this);
    this.show();
  }

  get label() {
    return Math.min(200, this.width * 0.28);
  }

  get room() {
    return this.width - this.label - MARGIN * 2;
  }

  /** What keeps curves out of the column of words. */
  get clip() {
    return `inset(0 0 0 ${this.label}px)`;
  }

  get shown() {
    return this.span ?? this.store.clock.frames;
  }

  x(frame) {
    return this.label + MARGIN + ((frame - this.from) / this.shown) * this.room;
  }

  frameAt(x) {
    return this.from + ((x - this.label - MARGIN) / this.room) * this.shown;
  }

  /** Show so many frames, with one of them staying where it is. */
  zoom(factor, about) {
    const { frames } = this.store.clock;
    const span = Math.max(CLOSEST, Math.min(frames, this.shown * factor));
    this.from = about - (about - this.from) * (span / this.shown);
    this.span = span >= frames ? null : span;
    this.scroll(0);
  }

  scroll(by) {
    const { frames } = this.store.clock;
    this.from = this.span === null ? 0 : Math.max(0, Math.min(frames - this.span, this.from + by));
    this.show();
  }

  show() {
    if (this.dragging) return;
    this.showRuler();
    const { lanes } = this.store.state;
    for (const pointer of [...this.picked.keys()])
      if (sortOf(this.store.valueAt(pointer)) !== "keyed") this.picked.delete(pointer);
    let group = null;
    this.unfilled = new Map();
    const isNear = this.nearness();
    let top = 0;
    refill(
      this.rows,
      lanes.length
        ? lanes.map((lane) => {
            const isNext = lane.name !== group;
            group = lane.name;
            const row = this.lane(lane, isNext);
            if (isNear(top)) this.fillLane(row, lane);
            else this.unfilled.set(row, lane);
            top += lane.pointer === this.opened ? LANE + OPENED : LANE;
            return row;
          })
        : // Before the first answer nobody knows.
          this.store.state.seam &&
            h(
              "p.empty",
              {},
              "Nothing moves by keys, swings or formulas yet. Focus a value and press K to key it, or Shift K to record.",
            ),
    );
    this.showTools();
    this.showFrame();
  }

  /** Return a function that tells whether a row so far down is in sight, or nearly; the others are filled once they are. */
  nearness() {
    const from = this.rows.scrollTop - LANE * ROWS_AROUND - OPENED;
    const to = this.rows.scrollTop + this.rows.clientHeight + LANE * ROWS_AROUND;
    return (top) => top >= from && top <= to;
  }

  fillNear() {
    const isNear = this.nearness();
    for (const [row, lane] of this.unfilled) {
      if (!isNear(row.offsetTop)) continue;
      this.unfilled.delete(row);
      this.fillLane(row, lane);
    }
    this.showFrame();
  }

  showRuler() {
    const { frames } = this.store.clock;
    const step =
      [1, 2, 3, 6, 12, 24, 48, 96, 120, 240, 480, 960].find(
        (one) => (this.shown / one) * 44 < this.width - this.label,
      ) ?? frames;
    const marks = [];
    for (
      let frame = Math.max(0, Math.ceil(this.from / step) * step);
      frame <= Math.min(frames, this.from + this.shown);
      frame += step
    ) {
      const mark = h("span", {}, String(frame));
      mark.style.left = `${this.x(frame)}px`;
      marks.push(mark);
    }
    this.ruler.replaceChildren(...marks);
  }

  showTools() {
    const { store } = this;
    const count = [...this.picked.values()].reduce((sum, chosen) => sum + chosen.size, 0);
    const tool = (words, title, run, more = {}) =>
      h("button.plain", { type: "button", title, onclick: run, ...more }, words);
    refill(
      this.tools,
      h(
        "button.plain.record",
        {
          type: "button",
          "aria-pressed": String(store.state.recording),
          title: "Record: changes become keys at the playhead (Shift K)",
          onclick: () => store.set({ recording: !store.state.recording }),
        },
        h("span.lamp"),
        store.state.recording ? "Recording" : "Record",
      ),
      this.span !== null &&
        tool("Fit", "Show the whole scene", () => {
          this.span = null;
          this.scroll(0);
        }),
    );
    this.keyTools.hidden = !count;
    refill(
      this.keyTools,
      count > 0 && [
        h("span.quiet", {}, `${count} ${count === 1 ? "key" : "keys"}`),
        ...Object.values(EASE_KEYS).map((ease) =>
          tool(ease, `Make the way after them ${ease} (${ease === "handles" ? "B" : ease[0].toUpperCase()})`, () =>
            this.change((raw, chosen) => eased(raw, chosen, ease)),
          ),
        ),
        tool("×½", "Half as long, from the first of them", () => this.stretch(0.5)),
        tool("×2", "Twice as long, from the first of them", () => this.stretch(2)),
      ],
    );
  }

  lane(lane, isNext) {
    const words = plainWords([lane.where, lane.setting].filter(Boolean).join(" · "));
    const isOpen = this.opened === lane.pointer;
    const row = h(
      `div.lane${isNext ? ".first" : ""}`,
      { role: "listitem", "data-lane": lane.pointer },
      h(
        "button.plain.lane-open",
        {
          type: "button",
          "aria-expanded": String(isOpen),
          "aria-label": `${isOpen ? "Close" : "Open"} the curve of ${lane.name} ${words}`,
          "data-focus": `${lane.pointer} open`,
          onclick: () => {
            this.opened = isOpen ? null : lane.pointer;
            this.show();
          },
        },
        icon(isOpen ? "down" : "right"),
      ),
      h(
        "button.lane-name",
        {
          type: "button",
          title: `${lane.name} · ${words}`,
          "data-pointer": lane.pointer,
          "data-focus": `${lane.pointer} lane`,
          onclick: () => this.open(lane),
        },
        h("strong", {}, lane.name),
        ` · ${words}`,
      ),
      h("span.lane-now.mono", { "data-lane-now": lane.pointer }),
    );
    row.classList.toggle("opened", isOpen);
    return row;
  }

  /** Put into a lane's row what takes time to make: its curve and its keys. */
  fillLane(row, lane) {
    const raw = this.store.valueAt(lane.pointer);
    if (this.opened === lane.pointer) {
      row.append(new LaneCurve(this, lane, raw).element);
      return;
    }
    row.append(isColours(lane) ? this.colours(lane, LANE) : this.curve(lane, raw));
    if (sortOf(raw) === "keyed") row.append(...this.pegs(lane, raw));
  }

  /** The keys of a lane that lie in the shown stretch of time. */
  pegs(lane, raw) {
    return inOrder(raw.keys)
      .filter(({ frame }) => frame >= this.from && frame <= this.from + this.shown)
      .map((key) => this.peg(lane, key));
  }

  open(lane) {
    const part = lane.pointer.replace(/\/(settings|joining|place|own_time|cut)(\/.*)?$/, "");
    const thing = lane.pointer.match(/^\/(figures|fields)\/(\d+)/);
    if (thing) this.store.select(thing[1], this.store.document[thing[1]][Number(thing[2])].id);
    else this.store.set({ tab: lane.pointer.startsWith("/finish") ? "finish" : "space" });
    this.store.set({ open: part });
  }

  /** The numbers of a lane: [frame, number] at even steps, from its keys where it has any. */
  numbers(lane, raw) {
    const { frames } = this.store.clock;
    if (sortOf(raw) === "keyed" && raw.keys.every((key) => typeof key.value === "number")) {
      const count = Math.min(frames, 400);
      return Array.from({ length: count + 1 }, (_, k) => [(k * frames) / count, keyedAt(raw, (k * frames) / count)]);
    }
    return lane.samples.map((value, k) => [Math.min(k * lane.step, frames), value]);
  }

  /** The curve over the scene, and faintly beyond both ends when it loops. */
  curve(lane, raw) {
    const { frames, loops } = this.store.clock;
    const points = this.numbers(lane, raw);
    const low = Math.min(...points.map(([, value]) => value));
    const high = Math.max(...points.map(([, value]) => value));
    const y = (value) => (high - low < 1e-9 ? LANE / 2 : LANE - 5 - ((value - low) / (high - low)) * (LANE - 10));
    const line = (shift) =>
      points
        .map(([frame, value], k) => `${k ? "L" : "M"}${this.x(frame + shift).toFixed(1)} ${y(value).toFixed(1)}`)
        .join("");
    const picture = s("svg", {
      width: this.width,
      height: LANE,
      class: `lane-curve ${lane.sort}`,
      "aria-hidden": "true",
    });
    picture.style.clipPath = this.clip;
    if (loops) for (const shift of [-frames, frames]) picture.append(s("path", { d: line(shift), class: "beyond" }));
    picture.append(s("path", { d: line(0) }));
    return picture;
  }

  /** A lane of colours: a band of them over the scene, and faintly beyond both ends when it loops. */
  colours(lane, height) {
    const { frames, loops } = this.store.clock;
    const each = Math.ceil(lane.samples.length / MOST_STOPS);
    const stops = lane.samples
      .map((colour, k) => `${colour} ${(Math.min((k * lane.step) / frames, 1) * 100).toFixed(2)}%`)
      .filter((_, k) => k % each === 0 || k === lane.samples.length - 1);
    const band = (shift) => {
      const [left, right] = [this.x(shift), this.x(shift + frames)];
      return h(`span${shift ? ".beyond" : ""}`, {
        style: { left: `${left}px`, width: `${right - left}px`, background: `linear-gradient(90deg, ${stops})` },
      });
    };
    return h(
      "div.lane-colours",
      { "aria-hidden": "true", style: { height: `${height}px`, width: `${this.width}px`, clipPath: this.clip } },
      (loops ? [-frames, frames, 0] : [0]).map(band),
    );
  }

  isPicked(pointer, index) {
    return this.picked.get(pointer)?.has(index) ?? false;
  }

  /** Choose a key; `adds` puts it to those that are chosen already, or takes it out again. */
  pick(pointer, index, adds) {
    if (!adds && this.isPicked(pointer, index)) return;
    if (!adds) this.picked.clear();
    const chosen = new Set(this.picked.get(pointer));
    if (!chosen.delete(index)) chosen.add(index);
    this.picked.set(pointer, chosen);
    this.showPicked();
  }

  /** Choose every key of a lane. */
  pickAll(pointer) {
    this.picked.clear();
    this.picked.set(pointer, new Set(this.store.valueAt(pointer).keys.keys()));
    this.showPicked();
  }

  showPicked() {
    for (const peg of this.rows.querySelectorAll("[data-key]")) {
      const [at, number] = [peg.dataset.lane, Number(peg.dataset.key)];
      peg.classList.toggle("picked", this.isPicked(at, number));
    }
    this.showTools();
  }

  peg(lane, key) {
    const { store } = this;
    const value = showValue(key.value);
    const hints = "Drag to move; Shift for several; L, S, H, B ease; Ctrl A all of the lane; Del removes";
    const peg = h(`button.peg${this.isPicked(lane.pointer, key.index) ? ".picked" : ""}`, {
      type: "button",
      "aria-label": `Key of ${lane.name} ${lane.setting}: ${value} at frame ${key.frame}`,
      title: `${value} at frame ${key.frame}, then ${key.ease ?? "smooth"}. ${hints}`,
      "data-focus": `${lane.pointer} key ${key.index}`,
      "data-lane": lane.pointer,
      "data-key": String(key.index),
      "data-ease": key.ease ?? "smooth",
    });
    peg.style.left = `${this.x(key.frame)}px`;
    let start = null;
    const by = (event) => Math.round(this.frameAt(this.x(key.frame) + event.clientX - start)) - key.frame;
    peg.addEventListener("pointerdown", (event) => {
      peg.setPointerCapture(event.pointerId);
      start = event.clientX;
      this.dragging = true;
      this.pick(lane.pointer, key.index, event.shiftKey);
    });
    peg.addEventListener("pointermove", (event) => {
      if (start === null) return;
      for (const one of this.rows.querySelectorAll(".peg.picked")) {
        const own = store.valueAt(one.dataset.lane).keys[Number(one.dataset.key)];
        one.style.left = `${this.x(own.frame + by(event))}px`;
      }
    });
    peg.addEventListener("pointerup", (event) => {
      if (start === null) return;
      this.dragging = false;
      const shift = by(event);
      start = null;
      if (shift) this.change((raw, chosen) => moved(raw, chosen, shift));
      else if (!event.shiftKey) store.seek(key.frame);
    });
    peg.addEventListener("pointercancel", () => {
      this.dragging = false;
      start = null;
      this.show();
    });
    peg.addEventListener("keydown", (event) => this.onKey(event, lane.pointer, key.index));
    return peg;
  }

  onKey(event, pointer, index) {
    const ctrl = event.ctrlKey || event.metaKey;
    const letter = event.key.toLowerCase();
    const arrow = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    if (event.key === "Enter" || event.key === " ") {
      event.preventDefault();
      event.stopPropagation();
      return this.pick(pointer, index, event.shiftKey);
    }
    if (ctrl && letter === "a") {
      event.preventDefault();
      event.stopPropagation();
      return this.pickAll(pointer);
    }
    if (!this.isPicked(pointer, index)) this.pick(pointer, index, event.shiftKey);
    if (arrow) this.change((raw, chosen) => moved(raw, chosen, arrow * (event.altKey ? 10 : 1)));
    else if (event.key === "Delete" || event.key === "Backspace") this.change(without);
    else if (ctrl && letter === "c") this.copy();
    else if (ctrl && letter === "v") this.paste();
    else if (!ctrl && EASE_KEYS[letter]) this.change((raw, chosen) => eased(raw, chosen, EASE_KEYS[letter]));
    else return;
    event.preventDefault();
    event.stopPropagation();
  }

  /** Change every lane that has chosen keys, as one step of the history; the keys stay chosen where they went. */
  change(how) {
    const patch = [];
    const next = new Map();
    for (const [pointer, chosen] of this.picked) {
      if (!chosen.size) continue;
      const raw = this.store.valueAt(pointer);
      // Marked, so that they are known again wherever they come to stand among the others.
      const marked = how(
        { ...raw, keys: raw.keys.map((key, index) => (chosen.has(index) ? { ...key, picked: true } : key)) },
        chosen,
      );
      next.set(pointer, new Set(marked.keys?.flatMap((key, index) => (key.picked ? [index] : [])) ?? []));
      patch.push({
        op: "replace",
        path: pointer,
        value: marked.keys ? { ...marked, keys: marked.keys.map(({ picked, ...key }) => key) } : marked,
      });
    }
    if (!patch.length) return;
    this.picked = next;
    this.store.edit(patch);
  }

  stretch(factor) {
    const frames = [...this.picked].flatMap(([pointer, chosen]) =>
      [...chosen].map((index) => this.store.valueAt(pointer).keys[index].frame),
    );
    const about = Math.min(...frames);
    this.change((raw, chosen) => stretched(raw, chosen, about, factor));
  }

  copy() {
    const lanes = [...this.picked]
      .filter(([, chosen]) => chosen.size)
      .map(([pointer, chosen]) => ({
        pointer,
        keys: [...chosen].map((index) => structuredClone(this.store.valueAt(pointer).keys[index])),
      }));
    const first = Math.min(...lanes.flatMap((one) => one.keys.map((key) => key.frame)));
    this.copied = lanes.map((one) => ({ ...one, late: Math.min(...one.keys.map((key) => key.frame)) - first }));
  }

  /** Put copied keys at the playhead: into the lanes they came from, or those of one lane into the chosen one. */
  paste() {
    if (!this.copied) return;
    const { store } = this;
    const targets = [...this.picked.keys()];
    const patch = this.copied.map(({ pointer, keys, late }) => {
      const target = this.copied.length === 1 && targets.length === 1 ? targets[0] : pointer;
      return { op: "replace", path: target, value: pasted(store.valueAt(target), keys, store.state.frame + late) };
    });
    this.picked.clear();
    store.edit(patch);
  }

  /** Turn the page after the playhead where it leaves what is shown; one may scroll away from it all the same. */
  follow() {
    const { frame } = this.store.state;
    if (this.span !== null && !this.isRuling && (frame < this.from || frame > this.from + this.span))
      this.scroll(frame - this.from - this.span * LEFT_BEHIND);
    else {
      this.showHead();
      if (this.store.state.scrubbing) this.showValuesSeldom();
      else this.showValues();
    }
  }

  showFrame() {
    this.showHead();
    this.showValues();
  }

  showHead() {
    const { frame } = this.store.state;
    this.headline.style.translate = `${this.x(frame)}px`;
    this.headline.hidden = frame < this.from || frame > this.from + this.shown;
  }

  /** Show what the lanes' values are at the frame. */
  showValues() {
    for (const element of this.rows.querySelectorAll("[data-lane-now]")) {
      if (this.unfilled.has(element.parentElement)) continue;
      const now = this.store.liveValue(element.dataset.laneNow);
      element.textContent = now === undefined ? "" : showValue(now);
    }
  }

  listenRuler() {
    let held = false;
    const left = () => this.element.getBoundingClientRect().left;
    const seek = (event) => this.store.scrub(this.frameAt(event.clientX - left()));
    this.ruler.addEventListener("pointerdown", (event) => {
      this.isRuling = held = true;
      this.ruler.setPointerCapture(event.pointerId);
      this.store.set({ playing: false });
      seek(event);
    });
    this.ruler.addEventListener("pointermove", (event) => held && seek(event));
    this.ruler.addEventListener("pointerup", () => (this.isRuling = held = false));
    this.element.addEventListener(
      "wheel",
      (event) => {
        if (event.ctrlKey || event.metaKey)
          this.zoom(Math.exp(event.deltaY * 0.002), this.frameAt(event.clientX - left()));
        else if (this.span !== null && (event.shiftKey || Math.abs(event.deltaX) > Math.abs(event.deltaY)))
          this.scroll(((event.deltaX || event.deltaY) / this.room) * this.span);
        else return;
        event.preventDefault();
      },
      { passive: false },
    );
  }
}
