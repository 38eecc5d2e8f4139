// Handles in the view for what has a place: cream lines with the letters of their axes. An arrow moves, a square
// scales, an arc turns, the ring in the middle moves freely. Every value they write can be typed in the details too.

import { cross, plus, scaled, unit } from "../lib/vectors.js";
import { s } from "../lib/dom.js";
import { carry, carryWay, multiply, place } from "../lib/matrix.js";
import { rounded } from "../lib/values.js";
import { AXES, HandleActs, REACH_PX } from "./acts.js";
import { ballLines, cameraLines, onCircle, planeLines, regionLines, sectorLines } from "./outlines.js";
import { ownSpace, subjectOf } from "./subject.js";

const PLANE_SIZE = 160;
const ARC_STEPS = 10;
const SMALLEST_WAY = 1e-3;
// Where the keys of a thing's way are, below the thing itself.
const WAYS = {
  guide: "place/position/",
  figure: "place/position/",
  camera: "settings/position/",
  light: "settings/position/",
};
const HALF_SENSOR_MM = 18;
const CAMERA_SIZE = 60;

export class Handles extends HandleActs {
  constructor(store, viewport) {
    super(store, viewport);
    this.svg = s("svg", { class: "handles", role: "group", "aria-label": "Handles" });
    // Behind the view itself, so that Tab leads from there to them.
    viewport.canvas.after(this.svg);
    this.acts = new WeakMap(); // what each handle does
    this.headers = new Map(); // the frames that the page holds; set by the editor
    store.on("drawn", () => this.show());
    store.on("open grip selection lanes side compared", () => this.show());
    this.svg.addEventListener("pointermove", (event) => this.held && this.drag(event));
    this.svg.addEventListener("pointerup", () => this.letGo());
    this.svg.addEventListener("pointercancel", () => this.letGo());
    // The pointer is captured while it is down, so a double click is told of the whole: it is for the node held last.
    this.svg.addEventListener("dblclick", () => this.toggleNode());
    this.svg.addEventListener("keydown", (event) => this.onKey(event));
    this.current = null; // what is called so is reached by Tab: one of the handles, whichever was used last
  }

  show() {
    const { header } = this.viewport;
    const { playing, compared, side } = this.store.state;
    // What the scene was cannot be taken hold of.
    const subject = header && !playing && !(compared && side === "then") ? subjectOf(this.store, header) : null;
    this.subject = subject;
    this.svg.toggleAttribute("hidden", !subject);
    if (!subject) return;
    const parts = [];
    if (subject.kind === "path") this.pathParts(subject, parts);
    else {
      this.outlineParts(subject, parts);
      if (subject.kind in WAYS) this.wayParts(subject, parts);
      if (subject.names[0]) this.gizmoParts(subject, parts);
      if (subject.isAround) this.gizmoParts({ ...subject, names: ["position", null, null] }, parts);
    }
    const hadFocus = this.svg.contains(document.activeElement);
    this.svg.replaceChildren(...parts);
    this.offer(hadFocus);
  }

  /** Let Tab lead to one of the handles, and the focus stay with it when they are drawn anew. */
  offer(hasFocus) {
    const grips = this.grips();
    const one = grips.find(({ dataset }) => dataset.handle === this.current) ?? grips[0];
    for (const grip of grips) grip.setAttribute("tabindex", grip === one ? "0" : "-1");
    if (hasFocus) one?.focus();
  }

  grips = () => [...this.svg.querySelectorAll(".grip")];

  /**
   * The arrow keys do what dragging the focused handle does, finer with Shift; Page Down and Page Up lead to the next
   * handle and the one before; Enter adds a point, or gives it handles of its own; Escape leads back to the view.
   */
  onKey(event) {
    const { key } = event;
    if (event.altKey || event.ctrlKey || event.metaKey || this.held) return;
    const grips = this.grips();
    const at = grips.indexOf(document.activeElement);
    if (at < 0) return;
    const beside = { PageDown: 1, PageUp: -1 }[key];
    const way = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[key];
    const act = this.acts.get(grips[at]);
    if (beside) {
      this.current = grips[(at + beside + grips.length) % grips.length].dataset.handle;
      this.offer(true);
    } else if (way && act.does !== "write") this.nudge(act, way, event.shiftKey);
    else if (key === "Enter" && act.does === "write") this.writeNodes(act.nodes);
    else if (key === "Enter" && act.part === "at") {
      this.lastNode = act.index;
      this.toggleNode();
    } else if (key === "Escape") this.viewport.canvas.focus();
    else return;
    event.preventDefault();
    event.stopPropagation();
  }

  line(points, parts, className = "outline") {
    let path = "";
    let open = false;
    for (const point of points) {
      const at = this.project(point);
      if (!at) open = false;
      else {
        path += `${open ? "L" : "M"}${at.x.toFixed(1)} ${at.y.toFixed(1)}`;
        open = true;
      }
    }
    if (path) parts.push(s("path", { d: path, class: className }));
  }

  grip(shape, attributes, act, parts, label) {
    const element = s(shape, {
      ...attributes,
      class: `grip ${attributes.class ?? ""}`,
      role: "button",
      "aria-label": label,
      "data-handle": label,
    });
    element.addEventListener("pointerdown", (event) => this.take(event, act));
    element.addEventListener("focus", () => (this.current = label));
    this.acts.set(element, act);
    parts.push(element);
    return element;
  }

  outlineParts(subject, parts) {
    const { kind, shown, space } = subject;
    const draw = (lines, matrix) =>
      lines.forEach((line) =>
        this.line(
          line.map((point) => carry(matrix, point)),
          parts,
        ),
      );
    if (kind === "region" || kind === "zone") {
      const half = shown.now(kind === "zone" ? "extent" : "size").map((value) => value / 2);
      draw(
        kind === "zone" ? regionLines("block") : regionLines(shown.now("form"), shown.now("thickness")),
        multiply(space, place(shown.now("position"), shown.now("rotation"), half)),
      );
    } else if (kind === "between") {
      const axis = shown.now("axis");
      for (const name of ["start", "end"]) {
        draw(planeLines(axis, shown.now(name), PLANE_SIZE), space);
        const point = AXES["xyz".indexOf(axis)].map((value) => value * shown.now(name));
        this.knob(
          carry(space, point),
          { does: "along", name, way: carryWay(space, AXES["xyz".indexOf(axis)]) },
          parts,
          name,
        );
      }
    } else if (kind === "angle") {
      const [axis, middle, width] = ["axis", "middle", "width"].map((name) => shown.now(name));
      draw(sectorLines(axis, middle, width, PLANE_SIZE), space);
      this.knob(
        carry(space, onCircle(axis, middle, PLANE_SIZE)),
        { does: "round", name: "middle", axis, times: 1 },
        parts,
        "middle",
      );
      this.knob(
        carry(space, onCircle(axis, middle + width / 2, PLANE_SIZE)),
        { does: "round", name: "width", axis, times: 2 },
        parts,
        "width",
      );
    } else if (subject.isAround) {
      const { frame } = this.store.document;
      const half =
        (shown.now("measured") === "angle"
          ? Math.tan((shown.now("angle") * Math.PI) / 360)
          : HALF_SENSOR_MM / shown.now("lens")) * CAMERA_SIZE;
      draw(
        cameraLines(half, (half * (frame.height ?? 1080)) / (frame.width ?? 1920), CAMERA_SIZE),
        this.viewport.header.places.cameras[this.store.valueAt(subject.base).id],
      );
    } else if (kind === "near") {
      const to = shown.now("to");
      const guide = this.viewport.header.places.guides[to];
      if (!guide) return;
      const middle = [guide[3], guide[7], guide[11]];
      const view = this.viewport.currentView();
      const right = unit(cross(view.forward, view.up));
      let radius = 0;
      for (const name of ["within", "fade"]) {
        radius += shown.now(name);
        ballLines(middle, radius).forEach((line) => this.line(line, parts));
        this.knob(plus(middle, scaled(right, radius)), { does: "along", name, way: right, least: 0 }, parts, name);
      }
    }
  }

  /** The way of a moving thing through the frames that the page holds, with its keys on it. */
  wayParts(subject, parts) {
    const { id } = this.store.valueAt(subject.base);
    const places = [...this.headers.values()]
      .sort((a, b) => a.frame - b.frame)
      .flatMap(({ frame, places: of }) => {
        const matrix = of[`${subject.kind}s`][id];
        return matrix ? [{ frame, point: [matrix[3], matrix[7], matrix[11]] }] : [];
      });
    const spread = Math.max(
      0,
      ...[0, 1, 2].map(
        (axis) =>
          Math.max(...places.map(({ point }) => point[axis])) - Math.min(...places.map(({ point }) => point[axis])),
      ),
    );
    if (places.length < 2 || !(spread > SMALLEST_WAY)) return;
    let run = [];
    for (const [k, { frame, point }] of places.entries()) {
      if (k && frame !== places[k - 1].frame + 1) {
        this.line(run, parts, "way");
        run = [];
      }
      run.push(point);
    }
    this.line(run, parts, "way");
    const keys = new Set(
      this.store.state.lanes
        .filter((lane) => lane.pointer.startsWith(`${subject.base}/${WAYS[subject.kind]}`))
        .flatMap((lane) => lane.keys.map((key) => key.frame)),
    );
    for (const { frame, point } of places) {
      const at = keys.has(frame) && this.project(point);
      if (at) parts.push(s("circle", { cx: at.x, cy: at.y, r: 3.5, class: "way-key" }));
    }
  }

  knob(point, act, parts, label) {
    const at = this.project(point);
    if (at) this.grip("circle", { cx: at.x, cy: at.y, r: 6 }, { ...act, from: point }, parts, label);
  }

  gizmoParts(subject, parts) {
    const { shown, space, names } = subject;
    const [moves, turns, scales] = names;
    const named = moves === "position" ? "" : `${moves} `;
    const origin = carry(space, shown.now(moves));
    const middle = this.project(origin);
    if (!middle) return;
    const size = REACH_PX / middle.scale;
    const own = ownSpace(subject);
    if (turns) {
      AXES.forEach((_, axis) => {
        const [a, b] = [1, 2].map((k) => unit(carryWay(own, AXES[(axis + k) % 3])));
        const arc = Array.from({ length: ARC_STEPS + 1 }, (__, k) => {
          const angle = ((k / ARC_STEPS) * 0.7 + 0.15) * (Math.PI / 2);
          return plus(origin, plus(scaled(a, Math.cos(angle) * size * 0.72), scaled(b, Math.sin(angle) * size * 0.72)));
        });
        const points = arc.map((point) => this.project(point));
        if (points.every(Boolean))
          this.grip(
            "path",
            {
              d: points.map((at, k) => `${k ? "L" : "M"}${at.x.toFixed(1)} ${at.y.toFixed(1)}`).join(""),
              class: "arc",
            },
            { does: "turn", axis, name: turns, origin },
            parts,
            `turn ${"xyz"[axis]}`,
          );
      });
    }
    AXES.forEach((way, axis) => {
      const direction = unit(carryWay(space, way));
      const tip = this.project(plus(origin, scaled(direction, size)));
      if (!tip) return;
      parts.push(s("path", { d: `M${middle.x} ${middle.y}L${tip.x} ${tip.y}`, class: "stem" }));
      const angle = Math.atan2(tip.y - middle.y, tip.x - middle.x);
      const corner = (turn, far) =>
        `${(tip.x + Math.cos(angle + turn) * far).toFixed(1)} ${(tip.y + Math.sin(angle + turn) * far).toFixed(1)}`;
      this.grip(
        "path",
        { d: `M${corner(0, 9)}L${corner(2.3, 8)}L${corner(-2.3, 8)}Z` },
        { does: "move", axis, name: moves, way: direction, origin },
        parts,
        `move ${named}${"xyz"[axis]}`,
      );
      const text = s("text", {
        x: tip.x + Math.cos(angle) * 20,
        y: tip.y + Math.sin(angle) * 20 + 4,
        class: "axis-name",
        "aria-hidden": "true",
      });
      text.textContent = "xyz"[axis];
      parts.push(text);
      if (scales) {
        const scaleWay = unit(carryWay(own, way));
        const box = this.project(plus(origin, scaled(scaleWay, size * 0.5)));
        if (box)
          this.grip(
            "rect",
            { x: box.x - 4.5, y: box.y - 4.5, width: 9, height: 9 },
            { does: "scale", axis, name: scales, way: scaleWay, origin },
            parts,
            `scale ${"xyz"[axis]}`,
          );
      }
    });
    this.grip(
      "circle",
      { cx: middle.x, cy: middle.y, r: 8, class: "free" },
      { does: "free", name: moves, origin },
      parts,
      `move ${named}`.trim(),
    );
  }

  pathParts({ shown, space }, parts) {
    const written = shown.raw("nodes");
    const nodes = shown.nodes();
    nodes.forEach((node, index) => {
      const world = carry(space, node.at);
      const at = this.project(world);
      if (!at) return;
      for (const name of ["arrive", "leave"]) {
        if (!node[name]) continue;
        const end = carry(space, plus(node.at, node[name]));
        const there = this.project(end);
        if (!there) continue;
        parts.push(s("path", { d: `M${at.x} ${at.y}L${there.x} ${there.y}`, class: "stem" }));
        this.grip(
          "circle",
          { cx: there.x, cy: there.y, r: 4.5 },
          { does: "node", index, part: name, origin: end },
          parts,
          `${name} ${index + 1}`,
        );
      }
      this.grip(
        "rect",
        { x: at.x - 5, y: at.y - 5, width: 10, height: 10 },
        { does: "node", index, part: "at", origin: world },
        parts,
        `point ${index + 1}`,
      );
      const next = nodes[index + 1];
      if (!next) return;
      const between = carry(
        space,
        scaled(plus(plus(node.at, node.leave ?? [0, 0, 0]), plus(next.at, next.arrive ?? [0, 0, 0])), 0.5),
      );
      const spot = this.project(between);
      if (!spot) return;
      const nodesThen = [
        ...written.slice(0, index + 1),
        { at: scaled(plus(node.at, next.at), 0.5).map(rounded) },
        ...written.slice(index + 1),
      ];
      this.grip(
        "path",
        { d: `M${spot.x - 4} ${spot.y}h8M${spot.x} ${spot.y - 4}v8`, class: "add" },
        { does: "write", nodes: nodesThen },
        parts,
        `add after ${index + 1}`,
      );
    });
  }

  take(event, act) {
    if (event.button !== 0) return;
    event.preventDefault();
    event.stopPropagation();
    // At once: what is pressed may be drawn anew before it is let go, and then no click is told.
    if (act.does === "write") {
      this.writeNodes(act.nodes);
      return;
    }
    this.svg.setPointerCapture(event.pointerId);
    this.hold(act);
    Object.assign(this.held, { x: event.clientX, y: event.clientY });
  }
}
