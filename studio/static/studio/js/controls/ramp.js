// Response curves, which are drawn.

import { s } from "../lib/dom.js";
import { showNumber } from "../lib/numbers.js";
import { addedPoint, movedPoint, withoutPoint } from "../lib/ramp.js";
import { newGesture } from "./value.js";

// Of the drawing, in its own units.
const SIZE = [168, 104];
const RIM = 8;
const REACH = 10;
const NUDGE = 0.02;
const FINE = 0.005;

const across = ([x, y]) => [RIM + x * (SIZE[0] - 2 * RIM), SIZE[1] - RIM - y * (SIZE[1] - 2 * RIM)];
const along = (points) => points.map((point, k) => `${k ? "L" : "M"}${across(point).join(" ")}`).join("");

/** A curve as small as a word. */
export function curveChip(points) {
  const [wide, high] = SIZE;
  return s(
    "svg",
    {
      class: "curve-chip",
      viewBox: `0 0 ${wide} ${high}`,
      role: "img",
      "aria-label": points.map((point) => point.map(showNumber).join(" to ")).join(", "),
    },
    s("path", { d: along(points) }),
  );
}

/**
 * A response curve from 0 to 1. Points are dragged, or moved by the arrow keys (finer with Shift); a double click on the
 * drawing, or Enter on a point, adds one, a double click on a point, or Delete, takes it away.
 */
export function curveValue(store, pointer, raw, label) {
  const write = (points, options) => store.setValue(pointer, points, options);
  const line = s("path", { class: "curve-line", d: along(raw) });
  const drawing = s("svg", {
    class: "curve",
    viewBox: `0 0 ${SIZE.join(" ")}`,
    role: "group",
    "aria-label": `${label}: ${raw.map((point) => point.map(showNumber).join(" to ")).join(", ")}`,
  });
  for (const share of [0, 0.25, 0.5, 0.75, 1]) {
    const [[x0, y0], [x1, y1]] = [across([share, 0]), across([share, 1])];
    drawing.append(s("path", { class: "curve-grid", d: `M${x0} ${y0}L${x1} ${y1}` }));
    const [[left, y], [right]] = [across([0, share]), across([1, share])];
    drawing.append(s("path", { class: "curve-grid", d: `M${left} ${y}H${right}` }));
  }
  drawing.append(line);
  const placeOf = (event) => {
    const box = drawing.getBoundingClientRect();
    const x = ((event.clientX - box.left) / box.width) * SIZE[0];
    const y = ((event.clientY - box.top) / box.height) * SIZE[1];
    return [(x - RIM) / (SIZE[0] - 2 * RIM), (SIZE[1] - RIM - y) / (SIZE[1] - 2 * RIM)];
  };
  raw.forEach((point, index) => {
    const [x, y] = across(point);
    const name = `${label}, point ${index + 1} of ${raw.length}: ${point.map(showNumber).join(" to ")}`;
    const grip = s(
      "g",
      { class: "curve-point", tabindex: 0, role: "button", "aria-label": name, "data-focus": `${pointer} ${index}` },
      s("circle", { cx: x, cy: y, r: REACH, class: "curve-reach" }),
      s("circle", { cx: x, cy: y, r: 3.5 }),
    );
    let points = raw;
    grip.addEventListener("pointerdown", (event) => {
      store.gesture = newGesture();
      grip.setPointerCapture(event.pointerId);
    });
    grip.addEventListener("pointermove", (event) => {
      if (!store.gesture || !grip.hasPointerCapture(event.pointerId)) return;
      points = movedPoint(raw, index, placeOf(event));
      const [cx, cy] = across(points[index]);
      for (const circle of grip.children) {
        circle.setAttribute("cx", cx);
        circle.setAttribute("cy", cy);
      }
      line.setAttribute("d", along(points));
      write(points, { gesture: store.gesture });
    });
    const ended = () => {
      if (!store.gesture) return;
      store.gesture = null;
      // What was only pressed stays as it is, so that a second press meets it again.
      if (points !== raw) store.emit("gesture-end");
    };
    grip.addEventListener("pointerup", ended);
    grip.addEventListener("pointercancel", ended);
    grip.addEventListener("dblclick", (event) => {
      event.stopPropagation();
      write(withoutPoint(raw, index));
    });
    grip.addEventListener("keydown", (event) => {
      const by = event.shiftKey ? FINE : NUDGE;
      const [dx, dy] = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowDown: [0, -1], ArrowUp: [0, 1] }[event.key] ?? [];
      if (event.altKey || event.ctrlKey || event.metaKey) return;
      if (dx !== undefined) write(movedPoint(raw, index, [point[0] + dx * by, point[1] + dy * by]));
      else if (event.key === "Enter") write(addedPoint(raw, index));
      else if (event.key === "Delete" || event.key === "Backspace") write(withoutPoint(raw, index));
      else return;
      event.preventDefault();
      event.stopPropagation();
    });
    drawing.append(grip);
  });
  drawing.addEventListener("dblclick", (event) => {
    const place = placeOf(event);
    const index = raw.findLastIndex((point) => point[0] <= place[0]);
    write(addedPoint(raw, index, place));
  });
  return drawing;
}
