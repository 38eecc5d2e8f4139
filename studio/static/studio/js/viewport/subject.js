// What has handles in the view now: the open guide, light, camera, clause or path, or the figure chosen in the view.

import { sortOf } from "../lib/sort.js";
import { nodesNow } from "../lib/nodes.js";
import { IDENTITY, multiply, turning } from "../lib/matrix.js";

const PATTERNS = {
  guide: /^\/guides\/(\d+)$/,
  figure: /^\/figures\/(\d+)$/,
  light: /^\/lights\/(\d+)$/,
  camera: /^\/cameras\/(\d+)$/,
  clause: /^\/fields\/(\d+)\/clauses\/(\d+)$/,
  step: /^\/figures\/(\d+)\/routine\/(\d+)$/,
};

/** The settings of a thing with their defaults, and what they show now. */
export class Shown {
  constructor(store, base, settings) {
    this.store = store;
    this.base = base;
    this.settings = Object.fromEntries(settings.map((setting) => [setting.name, setting]));
  }

  raw(name) {
    return this.store.valueAt(`${this.base}/${name}`) ?? this.settings[name].default;
  }

  now(name) {
    const raw = this.raw(name);
    if (Array.isArray(raw)) return raw.map((part, axis) => this.number(part, `${this.base}/${name}/${axis}`));
    return typeof raw === "number" || sortOf(raw) !== "fixed" ? this.number(raw, `${this.base}/${name}`) : raw;
  }

  /** The points of a curve in numbers. */
  nodes() {
    return nodesNow(this.raw("nodes"), (part, way) => this.number(part, `${this.base}/nodes/${way}`));
  }

  number(part, pointer) {
    if (typeof part === "number") return part;
    return this.store.liveValue(pointer) ?? part.base ?? part.middle ?? part.keys?.[0]?.value ?? 0;
  }
}

/** The region of a deformer: where its extent is 0 it is as long as the shape. */
class ShownZone extends Shown {
  constructor(store, base, settings, box) {
    super(store, base, settings);
    this.box = box;
  }

  now(name) {
    const value = super.now(name);
    return name === "extent" ? value.map((size, axis) => size || this.box[axis]) : value;
  }
}

const LEAST_BOX = 1;

/** How long a figure is along each axis of its own, as it is drawn. */
function boxOf(header, id) {
  const mine = header.drawables.filter((one) => one.figure === id);
  return [0, 1, 2].map((axis) =>
    Math.max(LEAST_BOX, ...mine.map((one) => one.high[axis]).map((high, k) => high - mine[k].low[axis])),
  );
}

/**
 * Return {kind, shown, space} for what has handles, or null. `space` is its parent's place in the world; a camera
 * that is looked at from elsewhere `isAround`.
 */
export function subjectOf(store, header) {
  const { open, grip } = store.state;
  const { things } = store.catalogue;
  // What was open may just have been taken back.
  const pointer = open && store.valueAt(open) !== undefined ? open : "";
  const carrier = (name) => header.places.carriers[name] ?? IDENTITY;
  const found = (kind) => pointer.match(PATTERNS[kind]);
  const placed = (kind, base) => {
    const shown = new Shown(store, `${base}/place`, things.place);
    return {
      kind,
      base,
      shown,
      space: carrier(`${kind}s/${store.valueAt(base).id}`),
      names: ["position", "rotation", "scale"],
    };
  };
  if (found("guide")) return placed("guide", pointer);
  if (found("figure")) return placed("figure", pointer);
  if (found("light")) {
    const light = store.valueAt(pointer);
    if (light?.kind !== "key") return null;
    return {
      kind: "light",
      base: pointer,
      shown: new Shown(store, `${pointer}/settings`, store.kinds.lights.key.settings),
      space: carrier(`lights/${light.id}`),
      names: ["position", null, null],
    };
  }
  if (found("camera")) {
    const shown = new Shown(store, `${pointer}/settings`, things.camera);
    return {
      kind: "camera",
      base: pointer,
      shown,
      space: carrier(`cameras/${store.valueAt(pointer).id}`),
      names: ["target", null, null],
      isAround: store.state.free,
    };
  }
  if (found("clause")) {
    const [clause, field] = [store.valueAt(pointer), store.valueAt(`/fields/${pointer.match(PATTERNS.clause)[1]}`)];
    const shown = new Shown(store, `${pointer}/settings`, store.kinds.clauses[clause.kind].settings);
    return {
      kind: clause.kind,
      base: pointer,
      shown,
      space: carrier(`fields/${field.id}/${clause.id}`),
      names: clause.kind === "region" ? ["position", "rotation", "size"] : [null, null, null],
    };
  }
  const step = found("step");
  if (step) {
    const item = store.valueAt(pointer);
    const figure = store.document.figures[Number(step[1])];
    if (item?.settings?.within === "a region") {
      const { settings } = store.kinds.steps[item.kind];
      return {
        kind: "zone",
        base: pointer,
        shown: new ShownZone(store, `${pointer}/settings`, settings, boxOf(header, figure.id)),
        space: header.places.figures[figure.id] ?? IDENTITY,
        names: ["position", "rotation", "extent"],
      };
    }
    if (item?.kind !== "path") return gripped(store, placed, grip);
    return {
      kind: "path",
      base: pointer,
      shown: new Shown(store, `${pointer}/settings`, store.kinds.steps.path.settings),
      space: header.places.figures[figure.id] ?? IDENTITY,
      names: [null, null, null],
    };
  }
  return gripped(store, placed, grip);
}

function gripped(store, placed, grip) {
  const index = store.document.figures.findIndex((figure) => figure.id === grip);
  return index >= 0 ? placed("figure", `/figures/${index}`) : null;
}

/** The axes along which a subject is turned and scaled, in the world. */
export function ownSpace({ shown, space, names }) {
  return names[1] ? multiply(space, turning(shown.now(names[1]))) : space;
}
