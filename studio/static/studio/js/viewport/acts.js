// What handles do to the values of what they belong to, by the pointer or by the arrow keys.

import { cross, dot, minus, plus, scaled, unit } from "../lib/vectors.js";
import { setOperations } from "../lib/json-patch.js";
import { carry, carryBack, carryWay, degreesOf, multiply, turning } from "../lib/matrix.js";
import { movedTo, rounded, vectorMovedTo } from "../lib/values.js";
import { newGesture } from "../controls/value.js";
import { replaced, toggled } from "../lib/nodes.js";

export const AXES = [
  [1, 0, 0],
  [0, 1, 0],
  [0, 0, 1],
];
// How long the arrows of a thing are in the view.
export const REACH_PX = 74;
const SNAP = { move: 10, turn: 15, scale: 0.1 };
// What a press of an arrow key is worth: pixels, degrees or hundredths.
const NUDGE_PX = 5;

export class HandleActs {
  constructor(store, viewport) {
    this.store = store;
    this.viewport = viewport;
    this.subject = null;
    this.held = null;
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

  /** Move what a handle moves by one press of an arrow key. */
  nudge(act, [dx, dy], isFine) {
    const { snap } = this.store.state;
    const step = isFine ? 1 : NUDGE_PX;
    const sign = dx - dy;
    this.hold(act);
    const near = act.origin ?? act.from ?? carry(this.subject.space, [0, 0, 0]);
    const units = snap ? SNAP.move : step / this.project(near).scale;
    if (act.does === "turn" || act.does === "round")
      this.change(sign * (snap ? SNAP.turn : step) * (act.times ?? 1), snap);
    else if (act.does === "scale") this.change(snap ? this.scaleStep(act) * sign : (sign * step) / 100, snap);
    else if (act.does === "move") this.change(sign * units, snap);
    else if (act.does === "along") this.change((sign * units) / (Math.hypot(...act.way) || 1), snap);
    else {
      const px = snap ? SNAP.move * this.project(near).scale : step;
      this.change(this.inView(near, dx * px, dy * px), snap);
    }
    this.letGo();
  }

  /** By which share a size grows to be larger by a whole step. */
  scaleStep({ name, axis }) {
    const step = name === "size" || name === "extent" ? SNAP.move : SNAP.scale;
    return step / Math.max(this.held.start[name][axis], 0.001);
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

  hold(act) {
    this.lastNode = act.does === "node" && act.part === "at" ? act.index : undefined;
    const { shown, names } = this.subject;
    const held = [...names, act.name, act.part === undefined ? null : "nodes"].filter(Boolean);
    this.held = {
      act,
      // What was written and what it showed: each move is told from there.
      written: Object.fromEntries(held.map((name) => [name, shown.raw(name)])),
      start: Object.fromEntries(held.map((name) => [name, name === "nodes" ? shown.nodes() : shown.now(name)])),
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
    const { act } = this.held;
    const dx = event.clientX - this.held.x;
    const dy = event.clientY - this.held.y;
    this.change(this.moved(act, dx, dy, event), this.store.state.snap !== event.ctrlKey, event.shiftKey);
  }

  /** How much of what a handle does a movement of the pointer is: units, shares, degrees, or a way in the world. */
  moved(act, dx, dy, event) {
    if (act.does === "move") return this.alongScreen(act.origin, act.way, dx, dy);
    if (act.does === "scale")
      return this.alongScreen(act.origin, act.way, dx, dy) / ((REACH_PX * 0.5) / this.project(act.origin).scale);
    if (act.does === "along") return this.alongScreen(act.from, unit(act.way), dx, dy) / (Math.hypot(...act.way) || 1);
    if (act.does === "turn") return this.swept(act.origin, event) * (this.facing(act) > 0 ? 1 : -1);
    if (act.does === "round") {
      const { space } = this.held.subject;
      const facing = dot(carryWay(space, AXES["xyz".indexOf(act.axis)]), this.viewport.currentView().forward);
      return this.swept(carry(space, [0, 0, 0]), event) * (facing > 0 ? 1 : -1) * act.times;
    }
    return this.inView(act.origin, dx, dy);
  }

  /** Do what the held handle does, by so much from where it was taken. */
  change(by, snaps, isAll = false) {
    const { act, start, subject } = this.held;
    const snap = (value, step) => (snaps ? Math.round(value / step) * step : value);
    const { name } = act;
    if (act.does === "move") {
      const local = carryBack(subject.space, scaled(act.way, by));
      const wanted = (value, axis) => (axis === act.axis ? snap(value + local[axis], SNAP.move) : value);
      if (local) this.writeVector(name, start[name].map(wanted), start);
    } else if (act.does === "free") {
      const local = carryBack(subject.space, by);
      const wanted = (value, axis) => snap(value + local[axis], SNAP.move);
      if (local) this.writeVector(name, start[name].map(wanted), start);
    } else if (act.does === "scale") {
      const factor = Math.max(0.01, 1 + by);
      const step = name === "size" || name === "extent" ? SNAP.move : SNAP.scale;
      const wanted = (value, axis) =>
        axis === act.axis || isAll ? Math.max(snap(value * factor, step), 0.001) : value;
      this.writeVector(name, start[name].map(wanted), start);
    } else if (act.does === "turn") {
      const turned = turning(AXES[act.axis].map((value) => value * snap(by, SNAP.turn)));
      this.writeVector(name, degreesOf(multiply(turning(start[name]), turned), start[name]), start);
    } else if (act.does === "along")
      this.writeNumber(name, Math.max(act.least ?? -Infinity, snap(start[name] + by, SNAP.move)), start);
    else if (act.does === "round") {
      const wanted = snap(start[name] + by, SNAP.turn);
      this.writeNumber(name, name === "width" ? Math.max(0, Math.min(360, wanted)) : wanted, start);
    } else if (act.does === "node") this.moveNode(carryBack(subject.space, by), snap);
  }

  moveNode(local, snap) {
    if (!local) return;
    const { act, start, subject, written, gesture } = this.held;
    const { frame, recording } = this.store.state;
    const node = written.nodes[act.index];
    const before = start.nodes[act.index][act.part];
    const wanted = before.map((value, axis) => rounded(snap(value + local[axis], SNAP.move)));
    const part = vectorMovedTo(node[act.part], before, wanted, frame, recording);
    const moved = replaced(written.nodes, act.index, { ...node, [act.part]: part });
    this.store.setValue(`${subject.shown.base}/nodes`, moved, { gesture });
    this.show();
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

  /** Whether an axis that is turned about leads away from the eye: then the pointer turns the other way. */
  facing(act) {
    const before = turning(this.held.start[act.name]);
    const way = unit(carryWay(multiply(this.held.subject.space, before), AXES[act.axis]));
    return dot(way, this.viewport.currentView().forward);
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
