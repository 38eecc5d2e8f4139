// Handles in the view for what has a place: cream lines with the letters of their axes. An arrow moves, a square
// scales, an arc turns, the ring in the middle moves freely. Every value they write can be typed in the details too.

import { cross, dot, minus, plus, scaled, unit } from "../lib/vectors.js";
import { s } from "../lib/dom.js";
import { setOperations } from "../lib/json-patch.js";
import { carry, carryBack, carryWay, degreesOf, multiply, place, turning } from "../lib/matrix.js";
import { movedTo, rounded, vectorMovedTo } from "../lib/values.js";
import { newGesture } from "../controls/value.js";
import { replaced, toggled } from "../lib/nodes.js";
import { ballLines, cameraLines, onCircle, planeLines, regionLines, sectorLines } from "./outlines.js";
import { ownSpace, subjectOf } from "./subject.js";

const REACH_PX = 74;
const SNAP = { move: 10, turn: 15, scale: 0.1 };
const AXES = [
  [1, 0, 0],
  [0, 1, 0],
  [0, 0, 1],
];
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

export class Handles {
  constructor(store, viewport, parent) {
    this.store = store;
    this.viewport = viewport;
    this.svg = s("svg", { class: "handles", "aria-hidden": "true" });
    parent.append(this.svg);
    this.held = null;
    this.headers = new Map(); // the frames that the page holds; set by the editor
    store.on("drawn", () => this.show());
    store.on("open grip selection lanes side compared", () => this.show());
    this.svg.addEventListener("pointermove", (event) => this.held && this.drag(event));
    this.svg.addEventListener("pointerup", () => this.letGo());
    this.svg.addEventListener("pointercancel", () => this.letGo());
    // The pointer is captured while it is down, so a double click is told of the whole: it is for the node held last.
    this.svg.addEventListener("dblclick", () => this.toggleNode());
  }

  /** Where a point of the world is on the view, in pixels, with its depth; null behind the eye. */
  project(point) {
    const view = this.viewport.currentView();
    const away = minus(point, view.position);
    const depth = dot(away, view.forward);
    if (depth < 0.5) return null;
    const right = unit(cross(view.forward, view.up));
    const { clientWidth: w, clientHeight: hh } = this.viewport.canvas;
    const tangent = view.tangent / this.viewport.frameBox()[2];
    const scale = w / 2 / (depth * tangent);
    return { x: w / 2 + dot(away, right) * scale, y: hh / 2 - dot(away, view.up) * scale, depth, scale };
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
    this.svg.replaceChildren(...parts);
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
    const element = s(shape, { ...attributes, class: `grip ${attributes.class ?? ""}`, "data-handle": label });
    element.addEventListener("pointerdown", (event) => this.take(event, act));
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

  toggleNode() {
    if (this.subject?.kind !== "path" || this.lastNode === undefined) return;
    const { shown } = this.subject;
    this.writeNodes(toggled(shown.raw("nodes"), shown.nodes(), this.lastNode));
  }

  writeNodes(nodes) {
    this.store.setValue(`${this.subject.shown.base}/nodes`, nodes);
    this.show(); // the next press is for the points as they are now, not as they were drawn last
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
    this.lastNode = act.does === "node" && act.part === "at" ? act.index : undefined;
    const { shown, names } = this.subject;
    const held = [...names, act.name, act.part === undefined ? null : "nodes"].filter(Boolean);
    this.held = {
      act,
      // What was written and what it showed: each move is told from there.
      written: Object.fromEntries(held.map((name) => [name, shown.raw(name)])),
      start: Object.fromEntries(held.map((name) => [name, name === "nodes" ? shown.nodes() : shown.now(name)])),
      x: event.clientX,
      y: event.clientY,
      gesture: newGesture(),
      subject: this.subject,
      others: this.others(),
    };
    this.store.gesture = this.held.gesture;
  }

  /** The other selected figures, with where they are now: they move along. */
  others() {
    if (this.subject.kind !== "figure") return [];
    const own = Number(this.subject.base.split("/").at(-1));
    return this.store.selectedFigures().filter((index) => index !== own);
  }

  letGo() {
    if (!this.held) return;
    this.held = null;
    this.store.gesture = null;
    this.store.emit("gesture-end");
  }

  drag(event) {
    const { act, start, subject } = this.held;
    const dx = event.clientX - this.held.x;
    const dy = event.clientY - this.held.y;
    const snaps = this.store.state.snap !== event.ctrlKey;
    const snap = (value, step) => (snaps ? Math.round(value / step) * step : value);
    if (act.does === "move") {
      const by = this.alongScreen(act.origin, act.way, dx, dy);
      const local = carryBack(subject.space, scaled(act.way, by));
      if (local)
        this.writeVector(
          act.name,
          start[act.name].map((value, axis) => (axis === act.axis ? snap(value + local[axis], SNAP.move) : value)),
          start,
        );
    } else if (act.does === "free") {
      const local = carryBack(subject.space, this.inView(act.origin, dx, dy));
      if (local)
        this.writeVector(
          act.name,
          start[act.name].map((value, axis) => snap(value + local[axis], SNAP.move)),
          start,
        );
    } else if (act.does === "scale") {
      const by = this.alongScreen(act.origin, act.way, dx, dy) / ((REACH_PX * 0.5) / this.project(act.origin).scale);
      const factor = Math.max(0.01, 1 + by);
      const step = act.name === "size" || act.name === "extent" ? SNAP.move : SNAP.scale;
      this.writeVector(
        act.name,
        start[act.name].map((value, axis) =>
          axis === act.axis || event.shiftKey ? Math.max(snap(value * factor, step), 0.001) : value,
        ),
        start,
      );
    } else if (act.does === "turn") this.turn(act, start, event, snap);
    else if (act.does === "along") {
      const by = this.alongScreen(act.from, unit(act.way), dx, dy) / (Math.hypot(...act.way) || 1);
      this.writeNumber(act.name, Math.max(act.least ?? -Infinity, snap(start[act.name] + by, SNAP.move)), start);
    } else if (act.does === "round") this.round(act, start, event, snap);
    else if (act.does === "node") {
      const local = carryBack(subject.space, this.inView(act.origin, dx, dy));
      if (!local) return;
      const { frame, recording } = this.store.state;
      const { nodes } = this.held.written;
      const node = nodes[act.index];
      const before = start.nodes[act.index][act.part];
      const wanted = before.map((value, axis) => rounded(snap(value + local[axis], SNAP.move)));
      const part = vectorMovedTo(node[act.part], before, wanted, frame, recording);
      const moved = replaced(nodes, act.index, { ...node, [act.part]: part });
      this.store.setValue(`${subject.shown.base}/nodes`, moved, { gesture: this.held.gesture });
      this.show();
    }
  }

  /** How far along a direction of the world a movement of the pointer leads. */
  alongScreen(origin, way, dx, dy) {
    const a = this.project(origin);
    const b = this.project(plus(origin, scaled(way, 1 / a.scale)));
    if (!b) return 0;
    const [sx, sy] = [b.x - a.x, b.y - a.y];
    const square = sx * sx + sy * sy;
    return square < 0.01 ? 0 : (dx * sx + dy * sy) / square / a.scale;
  }

  /** A movement of the pointer as a direction of the world, across the line of sight. */
  inView(origin, dx, dy) {
    const view = this.viewport.currentView();
    const { scale } = this.project(origin);
    return plus(scaled(unit(cross(view.forward, view.up)), dx / scale), scaled(view.up, -dy / scale));
  }

  /** The angle, in degrees, by which the pointer went round a point since it was pressed. */
  swept(origin, event) {
    const middle = this.project(origin);
    const box = this.viewport.canvas.getBoundingClientRect();
    const angle = (x, y) => Math.atan2(y - box.top - middle.y, x - box.left - middle.x);
    const turn = angle(event.clientX, event.clientY) - angle(this.held.x, this.held.y);
    return (((turn * 180) / Math.PI + 540) % 360) - 180;
  }

  turn(act, start, event, snap) {
    const { subject } = this.held;
    const before = turning(start[act.name]);
    const facing = dot(
      unit(carryWay(multiply(subject.space, before), AXES[act.axis])),
      this.viewport.currentView().forward,
    );
    const by = snap(this.swept(act.origin, event) * (facing > 0 ? 1 : -1), SNAP.turn);
    const degrees = degreesOf(multiply(before, turning(AXES[act.axis].map((value) => value * by))), start[act.name]);
    this.writeVector(act.name, degrees, start);
  }

  round(act, start, event, snap) {
    const { space } = this.held.subject;
    const facing = dot(carryWay(space, AXES["xyz".indexOf(act.axis)]), this.viewport.currentView().forward);
    const origin = carry(space, [0, 0, 0]);
    const by = this.swept(origin, event) * (facing > 0 ? 1 : -1) * act.times;
    const wanted = snap(start[act.name] + by, SNAP.turn);
    this.writeNumber(act.name, act.name === "width" ? Math.max(0, Math.min(360, wanted)) : wanted, start);
  }

  writeNumber(name, wanted, start) {
    const { shown } = this.held.subject;
    const { frame, recording } = this.store.state;
    const value = movedTo(this.held.written[name], start[name], wanted, frame, recording);
    this.store.edit(setOperations(this.store.document, `${shown.base}/${name}`, value), { gesture: this.held.gesture });
  }

  writeVector(name, wanted, start) {
    const { store } = this;
    const { shown, base } = this.held.subject;
    const { frame, recording } = store.state;
    const value = vectorMovedTo(this.held.written[name], start[name], wanted, frame, recording);
    const operations = setOperations(store.document, `${shown.base}/${name}`, value);
    const by = wanted.map((value, axis) =>
      name === "scale" ? value / (start[name][axis] || 1) : value - start[name][axis],
    );
    this.held.before ??= {};
    for (const index of this.held.others) {
      const pointer = `/figures/${index}/place/${name}`;
      const raw = store.valueAt(pointer) ?? shown.settings[name].default;
      const was = (this.held.before[`${pointer}`] ??= raw.map((part) => (typeof part === "number" ? part : null)));
      const moved = raw.map((part, axis) =>
        was[axis] === null ? part : rounded(name === "scale" ? was[axis] * by[axis] : was[axis] + by[axis]),
      );
      operations.push(...setOperations(store.document, pointer, moved));
    }
    store.edit(operations, { gesture: this.held.gesture });
    return base;
  }
}
