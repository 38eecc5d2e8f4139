// Response curves, which are drawn.

import { h, icon, s } from "../lib/dom.js";
import { showNumber } from "../lib/numbers.js";
import {
  addedPoint,
  isRound,
  movedHandle,
  movedPoint,
  placeOf,
  reached,
  rounded,
  straightened,
  withoutHandle,
  withoutPoint,
} from "../lib/ramp.js";
import { smooth } from "../lib/smooth.js";
import { newGesture } from "./value.js";

// Of the drawing, in its own units.
const SIZE = [168, 104];
const RIM = 8;
const REACH = 10;
const NUDGE = 0.02;
const FINE = 0.005;
// Stretches that a curve is drawn by which is smooth through all its points.
const DRAWN = 64;
const ARROWS = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowDown: [0, -1], ArrowUp: [0, 1] };
const HANDLES = { arrive: "handle before", leave: "handle after" };
// Which point of each curve was touched last, by their pointers: a panel that is made anew leaves it so.
const touched = new Map();

const across = ([x, y]) => [RIM + x * (SIZE[0] - 2 * RIM), SIZE[1] - RIM - y * (SIZE[1] - 2 * RIM)];
const told = (points) => points.map((point) => placeOf(point).map(showNumber).join(" to ")).join(", ");
const plus = (one, other) => one.map((part, axis) => part + other[axis]);
const minus = (one, other) => one.map((part, axis) => part - other[axis]);

/** The path of a curve as it acts: straight between corners, or smooth through all points where its setting says so. */
function pathOf(points, { rounds }) {
  let rows = straightened(points);
  if (rounds) {
    const [low, high] = [rows[0][0], rows.at(-1)[0]];
    const places = Array.from({ length: DRAWN + 1 }, (_, k) => low + ((high - low) * k) / DRAWN);
    rows = places.map((place) => [place, smooth(rows, place)]);
  }
  return rows.map((row, k) => `${k ? "L" : "M"}${across(row).join(" ")}`).join("");
}

/** A curve as small as a word. */
export function curveChip(points, setting) {
  const [wide, high] = SIZE;
  return s(
    "svg",
    { class: "curve-chip", viewBox: `0 0 ${wide} ${high}`, role: "img", "aria-label": told(points) },
    s("path", { d: pathOf(points, setting) }),
  );
}

function grid() {
  const lines = [];
  for (const share of [0, 0.25, 0.5, 0.75, 1]) {
    const [[x0, y0], [x1, y1]] = [across([share, 0]), across([share, 1])];
    lines.push(s("path", { class: "curve-grid", d: `M${x0} ${y0}L${x1} ${y1}` }));
    const [[left, y], [right]] = [across([0, share]), across([1, share])];
    lines.push(s("path", { class: "curve-grid", d: `M${left} ${y}H${right}` }));
  }
  return lines;
}

/**
 * A response curve from 0 to 1. Points and their handles are dragged, or moved by the arrow keys (finer with Shift); a
 * double click on the drawing, or Enter on a point, adds one, a double click on a point, or Delete, takes it away.
 * S, the button beneath, or a drag with Alt makes a point smooth; with Alt a handle turns without the other one.
 */
export function curveValue(store, pointer, setting, raw, label) {
  return new Curve(store, pointer, setting, raw, label).element;
}

class Curve {
  constructor(store, pointer, setting, raw, label) {
    Object.assign(this, { store, pointer, setting, raw, label });
    this.drawing = s("svg", {
      class: "curve",
      viewBox: `0 0 ${SIZE.join(" ")}`,
      role: "group",
      "aria-label": `${label}: ${told(raw)}`,
    });
    this.tools = h("div.curve-tools");
    // What shows where points, handles and their followers are, while something is dragged.
    this.followers = [];
    this.drawing.addEventListener("dblclick", (event) => {
      const place = this.placeAt(event);
      this.write(
        addedPoint(
          raw,
          raw.findLastIndex((point) => placeOf(point)[0] <= place[0]),
          place,
        ),
      );
    });
    this.draw(raw);
    raw.forEach((_, index) => {
      this.handlesOf(index);
      this.pointAt(index);
    });
    this.showTools();
    this.element = h("div.curve-field", {}, this.drawing, this.tools);
  }

  write(points, options) {
    this.store.setValue(this.pointer, points, options);
  }

  /** Show the curve as it would be through these points. */
  draw(points) {
    if (!this.line) {
      this.line = s("path", { class: "curve-line" });
      this.drawing.append(...grid(), this.line);
    }
    this.line.setAttribute("d", pathOf(points, this.setting));
  }

  placeAt(event) {
    const box = this.drawing.getBoundingClientRect();
    const x = ((event.clientX - box.left) / box.width) * SIZE[0];
    const y = ((event.clientY - box.top) / box.height) * SIZE[1];
    return [(x - RIM) / (SIZE[0] - 2 * RIM), (SIZE[1] - RIM - y) / (SIZE[1] - 2 * RIM)];
  }

  /** What is dragged. `moved(place, event)` gives the points then, `placed(points)` where it stands itself. */
  grip(name, focus, radius, index, { moved, placed }) {
    const circles = [s("circle", { r: REACH, class: "curve-reach" }), s("circle", { r: radius })];
    const grip = s(
      "g",
      { class: "curve-point", tabindex: 0, role: "button", "aria-label": name, "data-focus": focus },
      ...circles,
    );
    const stand = (points) => {
      const [x, y] = across(placed(points));
      for (const circle of circles) {
        circle.setAttribute("cx", x);
        circle.setAttribute("cy", y);
      }
    };
    stand(this.raw);
    let points = this.raw;
    grip.addEventListener("pointerdown", (event) => {
      this.store.gesture = newGesture();
      grip.setPointerCapture(event.pointerId);
    });
    grip.addEventListener("pointermove", (event) => {
      if (!this.store.gesture || !grip.hasPointerCapture(event.pointerId)) return;
      points = moved(this.placeAt(event), event);
      this.draw(points);
      for (const follow of this.followers) follow(points);
      this.write(points, { gesture: this.store.gesture });
    });
    const ended = () => {
      if (!this.store.gesture) return;
      this.store.gesture = null;
      // What was only pressed stays as it is, so that a second press meets it again.
      if (points !== this.raw) this.store.emit("gesture-end");
    };
    grip.addEventListener("pointerup", ended);
    grip.addEventListener("pointercancel", ended);
    grip.addEventListener("focus", () => {
      touched.set(this.pointer, index);
      this.showTools();
    });
    this.followers.push(stand);
    this.drawing.append(grip);
    return grip;
  }

  /** Keys of a grip: `act(key, step)` gives the points then, or null if it means nothing. */
  keys(grip, act) {
    grip.addEventListener("keydown", (event) => {
      if (event.altKey || event.ctrlKey || event.metaKey) return;
      const by = event.shiftKey ? FINE : NUDGE;
      const points = act(
        event.key,
        ARROWS[event.key]?.map((part) => part * by),
      );
      if (!points) return;
      this.write(points);
      event.preventDefault();
      event.stopPropagation();
    });
  }

  pointAt(index) {
    const { raw } = this;
    const at = placeOf(raw[index]);
    const name = `${this.label}, point ${index + 1} of ${raw.length}: ${at.map(showNumber).join(" to ")}`;
    const grip = this.grip(name, `${this.pointer} ${index}`, 3.5, index, {
      moved: (place, event) => (event.altKey ? this.pulled(index, place) : movedPoint(raw, index, place)),
      placed: (points) => placeOf(points[index]),
    });
    grip.addEventListener("dblclick", (event) => {
      event.stopPropagation();
      this.write(withoutPoint(raw, index));
    });
    this.keys(grip, (key, step) => {
      if (step) return movedPoint(raw, index, plus(at, step));
      if (key === "Enter") return addedPoint(raw, index);
      if (key === "s" || key === "S") return rounded(raw, index);
      return key === "Delete" || key === "Backspace" ? withoutPoint(raw, index) : null;
    });
  }

  /** Points of which one has handles pulled out of it, towards a place and away from it. */
  pulled(index, place) {
    const points = isRound(this.raw[index]) ? this.raw : rounded(this.raw, index);
    const way = minus(place, placeOf(points[index]));
    const name = way[0] < 0 ? "arrive" : "leave";
    return points[index][name] ? movedHandle(points, index, name, way) : points;
  }

  handlesOf(index) {
    const { raw } = this;
    for (const [name, words] of Object.entries(HANDLES)) {
      const other = raw[index + (name === "leave" ? 1 : -1)];
      if (!raw[index][name] || !other) continue;
      const endOf = (points) => reached(placeOf(points[index]), points[index][name], placeOf(other));
      const stem = s("path", { class: "curve-stem" });
      const follow = (points) =>
        stem.setAttribute("d", `M${across(placeOf(points[index])).join(" ")}L${across(endOf(points)).join(" ")}`);
      this.drawing.append(stem);
      follow(raw);
      this.followers.push(follow);
      const label = `${this.label}, point ${index + 1}, ${words}: ${raw[index][name].map(showNumber).join(", ")}`;
      const grip = this.grip(label, `${this.pointer} ${index} ${name}`, 2.5, index, {
        moved: (place, event) => movedHandle(raw, index, name, minus(place, placeOf(raw[index])), event.altKey),
        placed: endOf,
      });
      this.keys(grip, (key, step) => {
        if (step) return movedHandle(raw, index, name, plus(raw[index][name], step));
        return key === "Delete" || key === "Backspace" ? withoutHandle(raw, index, name) : null;
      });
    }
  }

  /** Beneath the drawing: what can be done with the point that was touched last. */
  showTools() {
    const { raw, pointer } = this;
    const index = Math.min(touched.get(pointer) ?? 0, raw.length - 1);
    const isSmooth = isRound(raw[index]);
    const point = `${this.label}, point ${index + 1}`;
    this.tools.replaceChildren(
      h("span", {}, `Point ${index + 1} of ${raw.length}`),
      h(
        "button.plain",
        {
          type: "button",
          title: isSmooth ? "Make it a corner" : "Make it smooth, with handles (S, or drag it with Alt)",
          "aria-label": `${point}: ${isSmooth ? "smooth" : "corner"}`,
          "data-focus": `${pointer} smooth`,
          onclick: () => this.write(rounded(raw, index)),
        },
        icon(isSmooth ? "path" : "up"),
      ),
      raw.length <= 2
        ? ""
        : h(
            "button.plain",
            {
              type: "button",
              title: "Remove this point (Delete)",
              "aria-label": `Remove ${point}`,
              "data-focus": `${pointer} remove`,
              onclick: () => this.write(withoutPoint(raw, index)),
            },
            icon("x"),
          ),
    );
  }
}
