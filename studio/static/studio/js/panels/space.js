// The space: frame and clock, cameras, lights, guides.

import { h, icon, refill } from "../lib/dom.js";
import { setOperations } from "../lib/json-patch.js";
import { placeWords, rename } from "./figures.js";
import { freeName } from "./names.js";
import { kindEntries } from "./finder.js";
import { endWithKey } from "./line-key.js";
import { freeId, line } from "./lines.js";
import { noteLines, notesOf } from "./notes.js";
import { inlineValue } from "./sentence.js";

const PRESETS = [
  ["Full HD", 1920, 1080],
  ["Square", 1080, 1080],
  ["Vertical", 1080, 1920],
  ["Cinema", 2048, 858],
];

/** Everything that has no card of its own and is told of here. */
export function notesOfSpace(store) {
  const { cameras, lights = [], guides = [] } = store.document;
  return notesOf(store, "Scene", "Frame", ...[...cameras, ...lights, ...guides].map((thing) => thing.name));
}

export class Space {
  constructor(store, element, finder) {
    this.store = store;
    this.element = element;
    this.finder = finder;
    store.on(
      "document selection open notes gesture-end lanes",
      () => store.gesture || store.state.playing || this.show(),
    );
    this.show();
  }

  show() {
    const { store } = this;
    const { things } = store.catalogue;
    const setting = (thing, name) => things[thing].find((one) => one.name === name);
    const value = (thing, name, base) => inlineValue(store, base, setting(thing, name));
    const { document } = store;
    refill(
      this.element,
      noteLines(store, notesOfSpace(store), true),
      h("h3", {}, "Frame and clock"),
      h(
        "ul.lines",
        {},
        this.thing("frame", "/frame", [
          "Picture ",
          value("frame", "width", "/frame"),
          " × ",
          value("frame", "height", "/frame"),
          ", ",
          value("frame", "background", "/frame"),
          " background",
          ...this.frameWords(value),
        ]),
        h(
          "li",
          {},
          h(
            "div.presets",
            {},
            PRESETS.map(([name, width, height]) =>
              h(
                "button.chip",
                {
                  type: "button",
                  title: `${width} × ${height}`,
                  "aria-pressed": String(
                    (document.frame.width ?? 1920) === width && (document.frame.height ?? 1080) === height,
                  ),
                  onclick: () =>
                    store.edit([
                      ...setOperations(store.document, "/frame/width", width),
                      ...setOperations(store.document, "/frame/height", height),
                    ]),
                },
                name,
              ),
            ),
          ),
        ),
        this.thing("clock", "/clock", [
          value("clock", "frames", "/clock"),
          " frames at ",
          value("clock", "fps", "/clock"),
          " a second, ",
          h(
            "button.value.word",
            { type: "button", onclick: () => store.setValue("/clock/loops", document.clock.loops === false) },
            document.clock.loops === false ? "once" : "in a loop",
          ),
        ]),
      ),
      h("h3", {}, "Cameras"),
      h(
        "ul.lines",
        {},
        document.cameras.map((camera, i) =>
          this.thing("camera", `/cameras/${i}`, [
            this.name(camera, `/cameras/${i}`),
            " at ",
            value("camera", "position", `/cameras/${i}/settings`),
            ", lens ",
            value("camera", "lens", `/cameras/${i}/settings`),
            document.cameras.length > 1 &&
              h(
                "button.chip",
                {
                  type: "button",
                  "aria-pressed": String(document.camera === camera.id),
                  onclick: () => store.setValue("/camera", camera.id),
                },
                document.camera === camera.id ? "in use" : "use",
              ),
          ]),
        ),
      ),
      this.adder("camera", () => this.addCamera()),
      h("h3", {}, "Lights"),
      h(
        "ul.lines",
        {},
        (document.lights ?? []).map((light, i) => this.light(light, i)),
      ),
      this.adder("light", () =>
        this.finder.open(
          kindEntries(store.catalogue.lights, (kind) => this.addLight(kind)),
          "Add a light…",
        ),
      ),
      h("h3", {}, "Guides"),
      (document.guides ?? []).length
        ? null
        : h("p.quiet", {}, "A guide is an invisible place that figures, fields and cameras can follow."),
      h(
        "ul.lines",
        {},
        (document.guides ?? []).map((guide, i) =>
          this.thing("guide", `/guides/${i}`, [
            this.name(guide, `/guides/${i}`),
            " ",
            value("place", "position", `/guides/${i}/place`),
            " ",
            h(
              "span.quiet",
              {},
              placeWords({ ...guide.place, position: undefined }, store).replace("Placed at the middle", ""),
            ),
          ]),
        ),
      ),
      this.adder("guide", () => this.addGuide()),
    );
  }

  /** What colour is behind everything, and what haze is before it. */
  frameWords(value) {
    const { background, haze } = this.store.document.frame;
    const colours = { gradient: ["colour", "bottom"], transparent: [], "its sky": [] }[background] ?? ["colour"];
    const words = colours.flatMap((name) => [" ", value("frame", name, "/frame")]);
    if (!haze) return words;
    return [...words, ", haze ", value("frame", "haze", "/frame"), " at ", value("frame", "haze_distance", "/frame")];
  }

  thing(iconName, pointer, words) {
    const { store } = this;
    const isOpen = store.state.open === pointer;
    const toggle = () => store.set({ open: isOpen ? null : pointer });
    const sentence = h(
      "div.line-words",
      { onclick: (event) => event.target.closest(".value, .typed, .chip, .line-key") || toggle() },
      words,
    );
    endWithKey(store, sentence);
    return h(
      `li.line${isOpen ? ".open" : ""}`,
      { "data-pointer": pointer },
      h("span.line-icon", {}, icon(iconName)),
      sentence,
      h(
        "button.line-open",
        {
          type: "button",
          "aria-label": "All settings",
          "aria-expanded": String(isOpen),
          "data-focus": `${pointer} open`,
          onclick: toggle,
        },
        icon("sliders"),
      ),
    );
  }

  /** A light's line; its name stands before it if it says more than the line does. */
  light(light, index) {
    const element = line(this.store, this.store.kinds.lights[light.kind], "/lights", index);
    const name = this.name(light, `/lights/${index}`);
    name.hidden = light.name.toLowerCase() === light.kind;
    element.querySelector(".line-words").prepend(name, name.hidden ? "" : ": ");
    return element;
  }

  name(thing, pointer) {
    return h(
      "strong",
      {
        "data-names": pointer,
        ondblclick: (event) => rename(this.store, event.currentTarget, `${pointer}/name`, thing.name),
      },
      thing.name,
    );
  }

  adder(word, run) {
    return h("button.add", { type: "button", "data-focus": `add ${word}`, onclick: run }, icon("plus"), word);
  }

  addLight(kind) {
    const { store } = this;
    const lights = store.document.lights ?? [];
    const name = freeName(store.document, kind.id[0].toUpperCase() + kind.id.slice(1));
    store.edit([
      {
        op: "add",
        path: `/lights/${lights.length}`,
        value: { id: freeId(lights, kind.id), name, kind: kind.id, settings: {} },
      },
    ]);
    store.set({ open: `/lights/${lights.length}` });
  }

  addGuide() {
    const { store } = this;
    const guides = store.document.guides ?? [];
    const patch = store.document.guides ? [] : [{ op: "add", path: "/guides", value: [] }];
    store.edit([
      ...patch,
      {
        op: "add",
        path: `/guides/${guides.length}`,
        value: { id: freeId(guides, "guide"), name: freeName(store.document, "Guide"), place: {} },
      },
    ]);
    store.set({ open: `/guides/${guides.length}` });
  }

  addCamera() {
    const { store } = this;
    const cameras = store.document.cameras;
    const settings = structuredClone(
      cameras.find((camera) => camera.id === (store.document.camera ?? cameras[0].id)).settings ?? {},
    );
    store.edit([
      {
        op: "add",
        path: `/cameras/${cameras.length}`,
        value: { id: freeId(cameras, "camera"), name: freeName(store.document, "Camera"), settings },
      },
    ]);
  }
}
