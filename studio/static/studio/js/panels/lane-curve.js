// One lane opened: its curve with a scale of values, its keys and handles to drag, and what holds before and after them.

import { h, refill, s } from "../lib/dom.js";
import { bent, inOrder, moved, tidy } from "../lib/keys.js";
import { readSum, showNumber } from "../lib/numbers.js";
import { setOperations } from "../lib/json-patch.js";
import { sortOf } from "../lib/sort.js";

const HEIGHT = 118;
const COLOURS_HEIGHT = 44;
const PAD = 12;
const NUDGES = 100;
const OUTSIDE = ["hold", "repeat", "mirror", "continue"];

/** Whether a lane is one of colours. */
export const isColours = (lane) => typeof lane.samples[0] === "string";

export class LaneCurve {
  constructor(lanes, lane, raw) {
    this.lanes = lanes;
    this.lane = lane;
    this.store = lanes.store;
    this.element = h("div.curve-editor");
    this.fill(raw);
  }

  get isKeyed() {
    return sortOf(this.raw) === "keyed" && this.raw.keys.every((key) => typeof key.value === "number");
  }

  /** Show a value as it is in the document, or as it would be while something is dragged. */
  fill(raw) {
    this.raw = raw;
    if (isColours(this.lane)) return this.fillWithColours();
    const { width } = this.lanes;
    this.points = this.lanes.numbers(this.lane, raw);
    if (this.asSpeed && this.points.length > 2) this.points = speeds(this.points, this.store.clock.fps);
    if (!this.held) {
      const handles =
        this.isKeyed && !this.asSpeed
          ? raw.keys.flatMap((key) => [
              key.value,
              key.value + (key.leave?.[1] ?? 0),
              key.value + (key.arrive?.[1] ?? 0),
            ])
          : [];
      const all = [...this.points.map(([, value]) => value), ...handles];
      [this.low, this.high] = [Math.min(...all), Math.max(...all)];
      if (this.high - this.low < 1e-9) [this.low, this.high] = [this.low - 1, this.high + 1];
    }
    const picture = s("svg", { width, height: HEIGHT, class: `lane-curve ${this.lane.sort}` });
    for (const value of ticks(this.low, this.high)) {
      const y = this.y(value);
      picture.append(
        s("line", { x1: this.lanes.label, x2: width, y1: y, y2: y, class: "level" }),
        words(this.lanes.label + 6, y - 3, showNumber(value)),
      );
    }
    picture.style.clipPath = this.lanes.clip;
    const { frames, loops } = this.store.clock;
    const line = (shift) =>
      this.points
        .map(
          ([frame, value], k) =>
            `${k ? "L" : "M"}${this.lanes.x(frame + shift).toFixed(1)} ${this.y(value).toFixed(1)}`,
        )
        .join("");
    if (loops) for (const shift of [-frames, frames]) picture.append(s("path", { d: line(shift), class: "beyond" }));
    picture.append(s("path", { d: line(0) }));
    const parts = [picture];
    if (this.isKeyed && !this.asSpeed) {
      picture.addEventListener("dblclick", (event) => this.addKey(event));
      for (const key of inOrder(raw.keys)) parts.push(...this.handles(picture, key), this.dot(key));
    }
    refill(this.element, parts, this.controls());
  }

  /** Colours have no height: their keys stand in a high band of them. */
  fillWithColours() {
    const { lanes, lane, raw } = this;
    const pegs = sortOf(raw) === "keyed" ? lanes.pegs(lane, raw) : [];
    this.element.classList.add("of-colours");
    refill(this.element, lanes.colours(lane, COLOURS_HEIGHT), pegs, this.controls());
  }

  /** How far an arrow key moves a key or a handle up. */
  get nudge() {
    return (this.high - this.low) / NUDGES;
  }

  get asSpeed() {
    return this.lanes.asSpeed === this.lane.pointer;
  }

  y(value) {
    return HEIGHT - PAD - ((value - this.low) / (this.high - this.low)) * (HEIGHT - 2 * PAD);
  }

  valueAt(y) {
    return this.low + ((HEIGHT - PAD - y) / (HEIGHT - 2 * PAD)) * (this.high - this.low);
  }

  at(event) {
    const box = this.element.getBoundingClientRect();
    return [this.lanes.frameAt(event.clientX - box.left), this.valueAt(event.clientY - box.top)];
  }

  addKey(event) {
    const [frame, value] = this.at(event);
    const whole = Math.round(frame);
    const keys = this.raw.keys.filter((key) => key.frame !== whole);
    this.store.setValue(this.lane.pointer, {
      ...this.raw,
      keys: [...keys, { frame: whole, value: tidy(value), ease: "smooth" }].sort((a, b) => a.frame - b.frame),
    });
  }

  dot(key) {
    const { lanes, lane } = this;
    const dot = h(`button.peg.dot${lanes.isPicked(lane.pointer, key.index) ? ".picked" : ""}`, {
      type: "button",
      "data-lane": lane.pointer,
      "data-key": String(key.index),
      "data-focus": `${lane.pointer} dot ${key.index}`,
      "aria-label": `Key ${showNumber(key.value)} at frame ${key.frame}`,
      title: `${showNumber(key.value)} at frame ${key.frame}; drag, with Shift only in time, with Alt only in value`,
    });
    this.put(dot, key.frame, key.value);
    this.drag(dot, key, (event, start) => {
      const [frame, value] = this.at(event);
      const by = event.altKey ? 0 : Math.round(frame - start[0]);
      const amount = event.shiftKey ? 0 : value - start[1];
      return moved(this.original, lanes.picked.get(lane.pointer), by, amount);
    });
    dot.addEventListener("keydown", (event) => {
      const up = { ArrowUp: 1, ArrowDown: -1 }[event.key];
      if (!up) return lanes.onKey(event, lane.pointer, key.index);
      event.preventDefault();
      event.stopPropagation();
      if (!lanes.isPicked(lane.pointer, key.index)) lanes.pick(lane.pointer, key.index, false);
      return lanes.change((raw, chosen) => moved(raw, chosen, 0, up * this.nudge * (event.altKey ? 10 : 1)));
    });
    return dot;
  }

  /** The handles of a key: where the curve leaves it, and where the one before it arrives. */
  handles(picture, key) {
    const order = inOrder(this.raw.keys);
    const before = order[order.findIndex((one) => one.index === key.index) - 1];
    const shown = [];
    if ((key.ease ?? "smooth") === "handles" && key.leave) shown.push("leave");
    if (before?.ease === "handles" && key.arrive) shown.push("arrive");
    return shown.map((name) => {
      const [by, amount] = key[name];
      picture.append(
        s("line", {
          x1: this.lanes.x(key.frame),
          y1: this.y(key.value),
          x2: this.lanes.x(key.frame + by),
          y2: this.y(key.value + amount),
          class: "arm",
        }),
      );
      const knob = h("button.knob", {
        type: "button",
        "data-focus": `${this.lane.pointer} ${name} ${key.index}`,
        "aria-label": `Handle where the curve ${name}s frame ${key.frame}`,
        title: "Drag the handle, or move it with the arrow keys; Alt moves this one alone",
      });
      this.put(knob, key.frame + by, key.value + amount);
      this.drag(knob, key, (event) => {
        const [frame, value] = this.at(event);
        return bent(this.original, key.index, name, [frame - key.frame, value - key.value], event.altKey);
      });
      knob.addEventListener("keydown", (event) => {
        const across = { ArrowLeft: -1, ArrowRight: 1 }[event.key] ?? 0;
        const up = { ArrowUp: 1, ArrowDown: -1 }[event.key] ?? 0;
        if (!across && !up) return;
        event.preventDefault();
        event.stopPropagation();
        this.store.setValue(
          this.lane.pointer,
          bent(this.raw, key.index, name, [by + across, amount + up * this.nudge], event.altKey),
        );
      });
      return knob;
    });
  }

  put(element, frame, value) {
    element.style.left = `${this.lanes.x(frame)}px`;
    element.style.top = `${this.y(value)}px`;
  }

  drag(element, key, change) {
    const { lanes, lane } = this;
    element.addEventListener("pointerdown", (event) => {
      event.stopPropagation();
      lanes.pick(lane.pointer, key.index, event.shiftKey && element.classList.contains("dot"));
      this.original = this.raw;
      this.held = true;
      lanes.dragging = true;
      const start = this.at(event);
      let next = null;
      const move = (one) => {
        if (Math.hypot(one.clientX - event.clientX, one.clientY - event.clientY) < 3 && !next) return;
        next = change(one, start);
        this.fill(next);
      };
      const end = ({ type }) => {
        removeEventListener("pointermove", move);
        removeEventListener("pointerup", end);
        removeEventListener("pointercancel", end);
        this.held = false;
        lanes.dragging = false;
        if (next && type === "pointerup") this.store.setValue(lane.pointer, next);
        else lanes.show();
      };
      addEventListener("pointermove", move);
      addEventListener("pointerup", end);
      addEventListener("pointercancel", end);
    });
  }

  /** Typed frame and value of the chosen key, what holds outside of the keys, and value or speed. */
  controls() {
    const { store, lane, lanes, raw } = this;
    const chosen = [...(lanes.picked.get(lane.pointer) ?? [])];
    const key = this.isKeyed && chosen.length === 1 ? raw.keys[chosen[0]] : null;
    const typed = (name, value, write) =>
      h(
        "label.part",
        {},
        name,
        h("input.form-control.form-control-sm.mono", {
          value,
          "aria-label": `${name} of the key`,
          onkeydown: (event) => event.stopPropagation(),
          onchange: (event) => {
            const number = readSum(event.target.value);
            if (number === null) store.set({ problem: `“${event.target.value}” is not a number` });
            else write(number);
          },
        }),
      );
    const outside = (name) =>
      h(
        "label.part",
        {},
        name,
        h(
          "select.value.choice",
          {
            "aria-label": `${name} the keys`,
            onchange: (event) =>
              store.edit(setOperations(store.document, `${lane.pointer}/${name}`, event.target.value)),
          },
          OUTSIDE.map((rule) => h("option", { value: rule, selected: (raw[name] ?? "hold") === rule }, rule)),
        ),
      );
    const linear = () =>
      store.setValue(lane.pointer, {
        ...raw,
        keys: raw.keys.map(({ leave, arrive, ...one }) => ({ ...one, ease: "linear" })),
      });
    return h(
      "div.curve-controls",
      {},
      key && [
        typed("frame", key.frame, (frame) =>
          lanes.change((value, indices) => moved(value, indices, Math.round(frame) - key.frame)),
        ),
        typed("value", showNumber(key.value).replace("−", "-"), (value) =>
          lanes.change((one, indices) => moved(one, indices, 0, value - key.value)),
        ),
      ],
      sortOf(raw) === "keyed" && [
        outside("before"),
        outside("after"),
        h(
          "button.btn.btn-sm.quiet",
          { type: "button", title: "Make the whole lane linear", onclick: linear },
          "All linear",
        ),
      ],
      !isColours(lane) &&
        h(
          "button.btn.btn-sm.quiet",
          {
            type: "button",
            "aria-pressed": String(this.asSpeed),
            title: "Show how fast it changes, in a second",
            onclick: () => {
              lanes.asSpeed = this.asSpeed ? null : lane.pointer;
              this.fill(this.raw);
            },
          },
          "Speed",
        ),
    );
  }
}

/** [frame, change in a second] between neighbouring points. */
function speeds(points, fps) {
  return points
    .slice(1)
    .map(([frame, value], k) => [
      (frame + points[k][0]) / 2,
      ((value - points[k][1]) / Math.max(frame - points[k][0], 1e-9)) * fps,
    ]);
}

function words(x, y, text) {
  const made = s("text", { x, y, class: "level" });
  made.textContent = text;
  return made;
}

/** Two to five round numbers between two others. */
function ticks(low, high) {
  const rough = (high - low) / 3;
  const power = 10 ** Math.floor(Math.log10(rough));
  const step = [1, 2, 5, 10].map((one) => one * power).find((one) => one >= rough);
  const found = [];
  for (let value = Math.ceil(low / step) * step; value <= high + 1e-9; value += step)
    found.push(Number(value.toPrecision(12)));
  return found;
}
