// The states that the scene has been in: told in words, compared with what it is now, and gone back to.

import { ApiError, getJson } from "../api.js";
import { h, icon, refill } from "../lib/dom.js";
import { wipeBar } from "./wipe.js";

const SIDES = [
  ["then", "Then"],
  ["wipe", "Both"],
  ["now", "Now"],
];
const MOST_WORDS = 3;

export class States {
  constructor(store, viewport, dialog, bar) {
    Object.assign(this, { store, viewport, dialog, bar });
    this.found = [];
    store.on("compared side", () => this.showBar());
    // Who edits wants to see what they edit.
    store.on("packet", ({ changed }) => changed && store.state.side === "then" && store.set({ side: "now" }));
    dialog.addEventListener("close", () => (this.found = []));
  }

  async open() {
    await this.store.send();
    this.found = [];
    if (!this.dialog.open) this.dialog.showModal();
    await this.more();
  }

  async more() {
    const below = this.found.at(-1)?.number;
    try {
      const { states, isWhole } = await getJson(
        `/scenes/${this.store.sceneId}/states${below === undefined ? "" : `?below=${below}`}`,
      );
      this.found.push(...states);
      this.isWhole = isWhole;
    } catch (error) {
      if (!(error instanceof ApiError)) throw error;
      this.store.set({ problem: error.message });
      this.dialog.close();
    }
    this.showList();
  }

  showList() {
    refill(
      this.dialog.querySelector(".states"),
      h(
        "ol",
        {},
        this.found.map((state) =>
          h(
            "li",
            { "aria-current": state.isNow ? "true" : null },
            h("span.mono.quiet", {}, clockOf(state.when)),
            h("span.state-words", { title: state.words.join("\n") }, shortOf(state.words)),
            state.isNow
              ? h("span.quiet", {}, "is now")
              : [
                  h("button.btn.btn-sm.quiet", { type: "button", onclick: () => this.compare(state) }, "Compare"),
                  h("button.btn.btn-sm.quiet", { type: "button", onclick: () => this.goBack(state) }, "Go to it"),
                ],
          ),
        ),
      ),
      !this.isWhole &&
        h(
          "button.btn.btn-sm.quiet",
          { type: "button", "data-focus": "more", onclick: () => this.more() },
          "Earlier ones",
        ),
    );
  }

  compare(state) {
    this.dialog.close();
    this.store.set({ side: "then", compared: state });
  }

  /** Change between the state that is compared with and the scene as it is; without one, choose it first. */
  toggle() {
    const { compared, side } = this.store.state;
    if (!compared) return this.open();
    this.store.set({ side: side === "then" ? "now" : "then" });
  }

  /** Make the scene what it was; this is an edit like others, and can be undone. */
  async goBack(state) {
    this.dialog.close();
    this.end();
    await this.store.step("return", { state: state.id });
  }

  end() {
    this.store.set({ compared: null, side: "now" });
  }

  showBar() {
    const { compared, side, wipe } = this.store.state;
    this.bar.hidden = !compared;
    if (!compared) return;
    refill(
      this.bar,
      side === "wipe" &&
        wipeBar(
          "Wipe between then and now",
          () => this.viewport.frameBox(),
          wipe,
          (share) => this.store.set({ wipe: share }),
        ),
      h(
        "div.compare-words",
        {},
        h(
          "div.sides",
          { role: "group", "aria-label": "What the view shows (B)" },
          SIDES.map(([name, words]) =>
            h(
              "button.chip",
              {
                type: "button",
                "data-focus": `side-${name}`,
                "aria-pressed": String(side === name),
                onclick: () => this.store.set({ side: name }),
              },
              words,
            ),
          ),
        ),
        h(
          "span.compare-state",
          { title: compared.words.join("\n") },
          `Then: ${clockOf(compared.when)}, ${shortOf(compared.words)}`,
        ),
        h("button.btn.btn-sm.quiet", { type: "button", onclick: () => this.goBack(compared) }, "Go to it"),
        h("button.plain", { type: "button", "aria-label": "End comparing", onclick: () => this.end() }, icon("x")),
      ),
    );
  }
}

const clockOf = (when) =>
  new Date(when).toLocaleString("en-GB", { day: "numeric", month: "short", hour: "2-digit", minute: "2-digit" });
const shortOf = (words) =>
  words.length
    ? words.slice(0, MOST_WORDS).join("; ") +
      (words.length > MOST_WORDS ? `; and ${words.length - MOST_WORDS} more` : "")
    : "nothing that shows";
