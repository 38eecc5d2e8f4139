// All settings of the open line, made from the catalogue; here each value's sort is chosen.

import { h, icon, refill } from "../lib/dom.js";
import { readSum, showNumber } from "../lib/numbers.js";
import { pointerParts } from "../lib/json-patch.js";
import { withKey } from "../lib/keys.js";
import { FAMILIES } from "../lib/parts.js";
import { formulaField } from "./complete.js";
import { assetValue, flagsValue, referencesValue, referenceValue, textValue } from "../controls/pick.js";
import { gradientValue } from "../controls/gradient.js";
import { curveValue } from "../controls/ramp.js";
import { nodesValue } from "../controls/nodes.js";
import { beginField } from "./only-where.js";
import { convertValue, dropKey, keyedNow, numberNow } from "./moving.js";
import { removeThing } from "./references.js";
import { sharedRow } from "./shared.js";
import { duplicateLine, removeLine } from "./lines.js";
import { choiceValue, colourValue, newGesture, numberValue, showValue } from "../controls/value.js";
import { canMove, sortOf } from "../lib/sort.js";
import { matters } from "../lib/matters.js";
import { plainWords } from "../lib/words.js";
import { wholeVector } from "./sentence.js";

const SORTS = [
  ["fixed", "Fixed"],
  ["keyed", "Keyed"],
  ["swing", "Swing"],
  ["formula", "Formula"],
];
const SHAPES = ["sine", "triangle", "square", "noise"];
const STAYS_MS = 60;
// The choice of a field that is not there yet: no id looks like this.
const NEW_FIELD = "+";
const EASES = ["smooth", "linear", "hold"];

/** The groups of a kind's settings: first those in none, which never fold, then the others in their order. */
function kindGroups(kind, base) {
  const titles = [...new Set(["", ...kind.settings.map((setting) => setting.group)])];
  return titles.map((title) => ({
    title,
    settings: kind.settings.filter((setting) => setting.group === title),
    base,
    all: kind.settings,
    folds: title && `${kind.id} ${title}`,
  }));
}

export class Details {
  constructor(store, element, finder) {
    this.store = store;
    this.element = element;
    this.finder = finder;
    // Which groups were opened or folded by hand, by kind and title.
    this.unfolded = new Map();
    store.on("open document assets lanes refused picking gesture-end", () => store.gesture || this.show());
    store.on("frame playing", () => this.showFrame());
  }

  /** What the open pointer names: a title, help, and groups of settings with where they are in the document. */
  subject() {
    const pointer = this.store.state.open;
    const item = pointer && this.store.valueAt(pointer);
    if (!item) return null;
    const parts = pointerParts(pointer);
    const { things } = this.store.catalogue;
    const group = (title, settings, base) => ({ title, settings, base, all: settings });
    const family = FAMILIES[parts.at(-2)];
    if (family) {
      const kind = this.store.kinds[family][item.kind];
      const groups = kindGroups(kind, `${pointer}/settings`);
      if (family === "clauses") groups.push(group("Joined to what is before it", things.joining, `${pointer}/joining`));
      return { title: plainWords(kind.id), help: kind.summary, groups, family, pointer, item };
    }
    if (parts[0] === "figures" || parts[0] === "guides") {
      const groups = [group("", things.place, `${pointer}/place`)];
      if (parts[0] === "figures")
        groups.push(
          group("Where in the picture it is seen", things.cut, `${pointer}/cut`),
          group("Its own time", things.own_time, `${pointer}/own_time`),
        );
      return { title: item.name, help: "Where it is, and what carries it along.", groups, pointer, item };
    }
    if (parts[0] === "cameras")
      return {
        title: item.name,
        help: "From where, and how wide, the scene is seen.",
        groups: [group("", things.camera, `${pointer}/settings`)],
        pointer,
        item,
      };
    if (parts[0] === "fields")
      return {
        title: item.name,
        help: "What the field does with what it has touched.",
        groups: [group("", things.after, `${pointer}/after`)],
        pointer,
        item,
      };
    if (parts[0] === "clock")
      return {
        title: "Clock",
        help: "How long the scene is and how it runs.",
        groups: [group("", things.clock, "/clock")],
        pointer,
        item,
      };
    const isHaze = ({ name }) => name.startsWith("haze");
    return {
      title: "Frame",
      help: "The size of the picture, what is behind everything, the haze before it, and light that surfaces throw on each other.",
      groups: [
        group(
          "",
          things.frame.filter((setting) => !isHaze(setting) && setting.name !== "bounce"),
          "/frame",
        ),
        group("Haze", things.frame.filter(isHaze), "/frame"),
        group(
          "Light",
          things.frame.filter(({ name }) => name === "bounce"),
          "/frame",
        ),
      ],
      pointer,
      item,
    };
  }

  show() {
    const subject = this.subject();
    this.element.hidden = !subject;
    if (!subject) return;
    const { store } = this;
    const close = () => store.set({ open: null });
    const rows = subject.groups.flatMap((group) => this.rowsOf(group));
    if (["steps", "forces", "looks"].includes(subject.family)) rows.push(this.onlyWhere(subject));
    refill(
      this.element,
      h(
        "header",
        {},
        h("h2", {}, subject.title),
        h("button.plain", { type: "button", "aria-label": "Close the settings", onclick: close }, icon("x")),
      ),
      h("p.help", {}, subject.help),
      h("div.rows", {}, rows),
      /^\/(guides|cameras)\/\d+$/.test(subject.pointer ?? "") &&
        h(
          "footer",
          {},
          h(
            "button.btn.btn-sm.quiet",
            { type: "button", onclick: () => removeThing(store, subject.pointer) },
            icon("trash"),
            "Remove",
          ),
        ),
      subject.family &&
        h(
          "footer",
          {},
          h(
            "button.btn.btn-sm.quiet",
            { type: "button", onclick: () => duplicateLine(store, subject.pointer) },
            icon("copy"),
            "Duplicate",
          ),
          h(
            "button.btn.btn-sm.quiet",
            { type: "button", onclick: () => removeLine(store, subject.pointer) },
            icon("trash"),
            "Remove",
          ),
        ),
    );
  }

  rowsOf(group) {
    const rows = group.settings
      .filter((setting) => this.matters(setting, group))
      .map((setting) => this.row(setting, `${group.base}/${setting.name}`));
    if (!group.folds) return [group.title && h("h3", {}, group.title), ...rows];
    if (!rows.length) return [];
    const isOpen = this.unfolded.get(group.folds) ?? this.isTouched(group);
    const remember = (event) => this.unfolded.set(group.folds, !event.currentTarget.parentElement.open);
    return [
      h(
        "details.group",
        { open: isOpen, "data-group": group.folds },
        h("summary", { onclick: remember, "data-focus": `fold ${group.folds}` }, group.title),
        rows,
      ),
    ];
  }

  /** Whether any setting of a group is another than it begins with. */
  isTouched({ settings, base }) {
    return settings.some((setting) => {
      const value = this.store.valueAt(`${base}/${setting.name}`);
      return value !== undefined && JSON.stringify(value) !== JSON.stringify(setting.default);
    });
  }

  /** Whether a setting means something, by what the others beside it are. */
  matters(setting, { all, base }) {
    return matters(setting, all, (name) => this.store.valueAt(`${base}/${name}`));
  }

  onlyWhere({ pointer, item }) {
    const { store } = this;
    const fields = store.document.fields ?? [];
    return h(
      "div.row",
      {},
      h("label", { for: "only-where", title: "The field that limits it" }, "Only where"),
      h(
        "select.value.choice",
        {
          id: "only-where",
          "data-focus": `${pointer} only-where`,
          onchange: (event) => {
            const path = `${pointer}/only_where`;
            if (event.target.value === NEW_FIELD) {
              event.target.value = item.only_where ?? "";
              beginField(store, this.finder, (id) => [{ op: item.only_where ? "replace" : "add", path, value: id }]);
            } else if (event.target.value) store.setValue(path, event.target.value);
            else if (store.valueAt(path) !== undefined) store.edit([{ op: "remove", path }]);
          },
        },
        h("option", { value: "" }, "everywhere"),
        fields.map((field) => h("option", { value: field.id, selected: field.id === item.only_where }, field.name)),
        // Last: arrows that go from one field to another must not begin a new one.
        h("option", { value: NEW_FIELD }, "new field…"),
      ),
      h("span"),
    );
  }

  row(setting, pointer) {
    const { store } = this;
    const label = plainWords(setting.name);
    const raw = store.valueAt(pointer) ?? setting.default;
    const head = h("span.label", { title: setting.help }, label);
    if (setting.sort === "vector") {
      const whole = wholeVector(store, pointer, setting);
      return h(
        "div.row.tall",
        {},
        head,
        h(
          "div.axes",
          {},
          raw.map((_, axis) =>
            this.control(
              whole,
              { ...setting, sort: "number", default: setting.default[axis] },
              `${pointer}/${axis}`,
              `${label} ${"xyz"[axis]}`,
              true,
            ),
          ),
        ),
      );
    }
    return h(
      `div.row${setting.sort === "nodes" ? ".stacked" : sortOf(raw) === "fixed" ? "" : ".tall"}`,
      {},
      head,
      this.control(store, setting, pointer, label, false),
    );
  }

  control(store, setting, pointer, label, isAxis) {
    const raw = store.valueAt(pointer) ?? setting.default;
    const fallback = setting.default;
    const sort = sortOf(raw);
    let body;
    if (sort === "keyed") body = this.keyed(store, setting, pointer, label, raw);
    else if (sort === "swing") body = this.swing(store, setting, pointer, label, raw);
    else if (sort === "formula") body = this.formula(store, setting, pointer, label, raw);
    else if (setting.sort === "number" || setting.sort === "integer")
      body = this.fixed(store, setting, pointer, label, raw, fallback, isAxis);
    else if (setting.sort === "colour") body = colourValue(store, pointer, label, fallback);
    else if (setting.sort === "choice") body = choiceValue(store, pointer, setting, label, fallback);
    else if (setting.sort === "switch")
      body = h("input.form-check-input", {
        type: "checkbox",
        checked: raw,
        "aria-label": label,
        "data-focus": pointer,
        onchange: (event) => store.setValue(pointer, event.target.checked),
      });
    else if (setting.sort === "reference") body = referenceValue(store, pointer, setting, label, raw);
    else if (setting.sort === "references") body = referencesValue(store, this.finder, pointer, setting, label, raw);
    else if (setting.sort === "asset") body = assetValue(store, this.finder, pointer, setting, label, raw);
    else if (setting.sort === "flags") body = flagsValue(store, pointer, setting, label, raw);
    else if (setting.sort === "nodes") {
      const whole = wholeVector(store, pointer, setting);
      const control = (part, at, name) => this.control(whole, part, at, name, true);
      body = nodesValue(whole, pointer, raw, (part, at) => numberNow(store, at, part), control);
    } else if (setting.sort === "gradient") body = gradientValue(store, pointer, raw, label);
    else if (setting.sort === "curve") body = curveValue(store, pointer, setting, raw, label);
    else body = textValue(store, pointer, label, raw);
    return h(
      "div.control",
      {},
      isAxis ? h("span.axis", { "aria-hidden": "true" }, label.at(-1)) : null,
      body,
      setting.picked ? pickButton(store, pointer, label) : null,
      canMove(setting, pointer) ? this.sortButton(store, setting, pointer, label, sort) : h("span"),
    );
  }

  fixed(store, setting, pointer, label, raw, fallback, isAxis) {
    const value = numberValue(store, pointer, setting, label, fallback);
    value.classList.add("boxed");
    const [low, high] = setting.soft;
    if (isAxis || low === null || high === null) return value;
    const share = Math.max(0, Math.min(1, (raw - low) / (high - low)));
    const slider = h(
      "span.track",
      { "aria-hidden": "true", title: `${low} to ${high}; type to go past it` },
      h("span"),
    );
    slider.firstChild.style.width = `${share * 100}%`;
    const wide = { ...setting };
    listenTrack(store, slider, setting, pointer);
    return h("span.fixed", { "data-sort": wide.sort }, value, slider);
  }

  sortButton(store, setting, pointer, label, sort) {
    return h(
      `select.sort.${sort}`,
      {
        "aria-label": `How ${label} changes`,
        title: `How ${label} changes: ${sort}`,
        "data-focus": `${pointer} sort`,
        onchange: (event) => convertValue(store, setting, pointer, event.target.value),
      },
      SORTS.map(([id, words]) => h("option", { value: id, selected: id === sort }, words)),
    );
  }

  keyed(store, setting, pointer, label, raw) {
    const frame = store.state.frame;
    const at = raw.keys.findIndex((key) => key.frame === frame);
    const now = at >= 0 ? raw.keys[at].value : keyedNow(store, pointer, raw);
    const isColour = setting.sort === "colour";
    const write = (value) => store.setValue(pointer, { ...raw, keys: withKey(raw.keys, frame, value) });
    const entry = isColour
      ? h("input.value.colour", {
          type: "color",
          value: now,
          "aria-label": `${label} at frame ${frame}`,
          "data-keyed": pointer,
          "data-focus": pointer,
          onchange: (event) => write(event.target.value),
        })
      : h("input.form-control.form-control-sm.mono", {
          value: showNumber(now).replace("−", "-"),
          "aria-label": `${label} at frame ${frame}`,
          "data-keyed": pointer,
          "data-focus": pointer,
          onchange: (event) => {
            const value = readSum(event.target.value);
            if (value === null) store.set({ problem: `“${event.target.value}” is not a number` });
            else write(value);
          },
        });
    const last = [...raw.keys].reverse().find((key) => key.frame <= frame) ?? raw.keys[0];
    const index = raw.keys.indexOf(last);
    return h(
      "div.sorted",
      {},
      entry,
      h(
        "div.small-row.of-key",
        {},
        h(
          "button.btn.btn-sm.quiet",
          { type: "button", title: "K", onclick: () => (at >= 0 ? dropKey(store, pointer, raw, at) : write(now)) },
          at >= 0 ? "Remove key" : "Key here",
        ),
        h(
          "select.value.choice",
          {
            "aria-label": "Ease after the key before",
            onchange: (event) => store.setValue(`${pointer}/keys/${index}/ease`, event.target.value),
          },
          EASES.map((ease) => h("option", { value: ease, selected: (last.ease ?? "smooth") === ease }, ease)),
        ),
      ),
    );
  }

  swing(store, setting, pointer, label, raw) {
    const part = (name, soft, fallback) =>
      h(
        "label.part",
        {},
        name,
        boxed(
          numberValue(
            store,
            `${pointer}/${name}`,
            { sort: "number", soft, hard: [null, null], default: fallback, unit: "" },
            `${label} ${name}`,
            fallback,
          ),
        ),
      );
    const ends =
      setting.sort === "colour"
        ? ["from", "to"].map((name) =>
            h("label.part", {}, name, colourValue(store, `${pointer}/${name}`, `${label} ${name}`, "#ffffff")),
          )
        : [part("middle", setting.soft, 0), part("amount", setting.soft, 1)];
    return h(
      "div.sorted.parts",
      {},
      ends,
      part("times", [0, 8], 1),
      part("phase", [0, 1], 0),
      h(
        "select.value.choice",
        { "aria-label": `${label} shape`, onchange: (event) => store.setValue(`${pointer}/shape`, event.target.value) },
        SHAPES.map((shape) => h("option", { value: shape, selected: (raw.shape ?? "sine") === shape }, shape)),
      ),
    );
  }

  formula(store, setting, pointer, label, raw) {
    const now = store.liveValue(pointer);
    if (raw.shared !== undefined) return h("div.sorted", {}, sharedRow(store, pointer, raw));
    return h(
      "div.sorted",
      {},
      formulaField(store, `${pointer}/text`, `${label} formula`, pointer),
      h(
        "div.small-row",
        {},
        setting.sort === "colour"
          ? ["from", "to"].map((name) => colourValue(store, `${pointer}/${name}`, `${label} ${name}`, "#ffffff"))
          : h(
              "label.part",
              {},
              "base",
              boxed(
                numberValue(store, `${pointer}/base`, { ...setting, sort: "number", default: 0 }, `${label} base`, 0),
              ),
            ),
        h("span.now", { "data-live": pointer }, now === undefined ? "" : `now ${showValue(now)}`),
      ),
      sharedRow(store, pointer, raw),
    );
  }

  /** Only numbers change when the playhead moves; the controls stay. */
  showFrame() {
    if (this.element.hidden) return;
    for (const element of this.element.querySelectorAll("[data-live]")) {
      const now = this.store.liveValue(element.dataset.live);
      if (now !== undefined) element.textContent = `now ${showValue(now)}`;
    }
    for (const input of this.element.querySelectorAll("[data-keyed]")) {
      const now = this.store.liveValue(input.dataset.keyed);
      if (now !== undefined && input !== document.activeElement) input.value = showValue(now).replace("−", "-");
    }
    // What can be done with a key belongs to the frame that is shown, once it stays.
    clearTimeout(this.staying);
    const { playing } = this.store.state;
    if (playing || !this.element.querySelector(".of-key")) return;
    this.staying = setTimeout(() => this.store.gesture || this.show(), STAYS_MS);
  }
}

/** Lets the next click in the view say how large a number is. */
function pickButton(store, pointer, label) {
  const waits = store.state.picking === pointer;
  return h(
    "button.plain.pick",
    {
      type: "button",
      "aria-pressed": String(waits),
      "aria-label": `Pick ${label} in the view`,
      title: waits ? "Click a point in the view; Escape leaves it" : `Pick ${label} in the view`,
      "data-focus": `${pointer} pick`,
      onclick: () => store.set({ picking: waits ? null : pointer }),
    },
    icon("aim"),
  );
}

function boxed(element) {
  element.classList.add("boxed");
  return element;
}

function listenTrack(store, track, setting, pointer) {
  const [low, high] = setting.soft;
  const share = (event) => Math.max(0, Math.min(1, event.offsetX / track.offsetWidth));
  const value = (event) => {
    const raw = low + share(event) * (high - low);
    const step = 10 ** Math.round(Math.log10((high - low) / 400));
    return setting.sort === "integer" ? Math.round(raw) : Number((Math.round(raw / step) * step).toPrecision(8));
  };
  let gesture = null;
  const write = (event) => {
    store.gesture = gesture;
    track.firstChild.style.width = `${share(event) * 100}%`;
    store.setValue(pointer, value(event), { gesture });
  };
  track.addEventListener("pointerdown", (event) => {
    track.setPointerCapture(event.pointerId);
    gesture = newGesture();
    write(event);
  });
  track.addEventListener("pointermove", (event) => gesture && write(event));
  const end = () => {
    if (!gesture) return;
    gesture = null;
    store.gesture = null;
    store.emit("gesture-end");
  };
  for (const name of ["pointerup", "pointercancel"]) track.addEventListener(name, end);
}
