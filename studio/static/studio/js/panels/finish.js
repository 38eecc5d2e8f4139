// The finish: effects on the rendered picture, in their order.

import { h, icon, refill } from "../lib/dom.js";
import { kindEntries } from "./finder.js";
import { addLine, line } from "./lines.js";
import { noteLines, notesOf } from "./notes.js";

export class Finish {
  constructor(store, element, finder) {
    this.store = store;
    store.on("document open notes gesture-end lanes", () => store.gesture || store.state.playing || this.show());
    this.element = element;
    this.finder = finder;
    this.show();
  }

  show() {
    const { store } = this;
    const finish = store.document.finish ?? [];
    refill(
      this.element,
      finish.length
        ? null
        : h("p.empty", {}, "The picture is shown as it is lit. Effects go from top to bottom; exposure belongs last."),
      noteLines(store, notesOf(store, "Finish")),
      h(
        "ul.lines",
        {},
        finish.map((effect, k) => line(store, store.kinds.finishes[effect.kind], "/finish", k)),
      ),
      h(
        "button.add",
        {
          type: "button",
          "data-focus": "add effect",
          onclick: () =>
            this.finder.open(
              kindEntries(store.catalogue.finishes, (kind) => this.add(kind)),
              "Add an effect…",
            ),
        },
        icon("plus"),
        "effect",
      ),
    );
  }

  add(kind) {
    const finish = this.store.document.finish ?? [];
    const last = finish.at(-1)?.kind === "exposure" && kind.id !== "exposure" ? finish.length - 1 : finish.length;
    addLine(this.store, "/finish", kind, last);
  }
}
