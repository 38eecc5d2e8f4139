// The header: name, saved state, undo, the scene's length, the seam's badge.

import { h, icon, refill } from "../lib/dom.js";
import { setOperations } from "../lib/json-patch.js";
import { rename } from "./figures.js";

const STATES = {
  closed: "Loop closes",
  nearly: "Nearly closes",
  open: "Loop open",
  "one-shot": "Plays once",
  unknown: "Loop unknown",
};

const clockTime = (when) => new Date(when).toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" });

export class Header {
  constructor(store) {
    this.store = store;
    this.name = document.getElementById("scene-name");
    this.saved = document.getElementById("saved").firstElementChild;
    this.length = document.getElementById("length");
    this.badge = document.getElementById("seam");
    this.list = document.getElementById("seam-list");
    this.undo = document.getElementById("undo");
    this.redo = document.getElementById("redo");
    this.name.addEventListener("click", () => rename(store, this.name, "/name", store.document.name));
    this.undo.addEventListener("click", () => store.undo());
    this.redo.addEventListener("click", () => store.redo());
    this.badge.addEventListener("click", () => this.toggle());
    document.addEventListener("pointerdown", (event) => {
      if (!this.list.hidden && !event.target.closest("#seam-list, #seam")) this.toggle(false);
    });
    store.on("document", () => this.showScene());
    store.on("saved saving waitingSince canUndo canRedo", () => this.showSaved());
    store.on("seam", () => this.showSeam());
    this.showScene();
    this.showSaved();
    this.showSeam();
  }

  showScene() {
    const { fps, frames } = this.store.clock;
    this.name.textContent = this.store.document.name;
    document.title = `${this.store.document.name} – Pirouette`;
    this.length.textContent = `${frames} frames · ${fps} fps · ${Number((frames / fps).toFixed(2))} s`;
  }

  showSaved() {
    const { saved, saving, waitingSince, canUndo, canRedo } = this.store.state;
    this.saved.textContent = waitingSince
      ? `not saved since ${clockTime(waitingSince)}, trying`
      : saving
        ? "saving…"
        : `saved ${clockTime(saved)}`;
    this.undo.disabled = !canUndo;
    this.redo.disabled = !canRedo;
  }

  showSeam() {
    const { seam } = this.store.state;
    const state = seam?.state ?? "measuring";
    this.badge.dataset.state = state;
    const figure = state === "open" || state === "nearly" ? ` · ${seam.offenders.length}` : "";
    refill(this.badge, h("span.lamp"), (STATES[state] ?? "Measuring…") + figure);
    if (!this.list.hidden) this.fill();
  }

  /** Say that what jumps at the seam is meant to, or not any more. */
  setMeant({ thing, what }, isMeant) {
    const before = this.store.document.meant ?? [];
    const others = before.filter((one) => one.thing !== thing || one.what !== what);
    this.store.edit(setOperations(this.store.document, "/meant", isMeant ? [...others, { thing, what }] : others));
  }

  toggle(open = this.list.hidden) {
    this.list.hidden = !open;
    this.badge.setAttribute("aria-expanded", String(open));
    if (open) this.fill();
  }

  fill() {
    const { seam } = this.store.state;
    const offenders = seam?.offenders ?? [];
    refill(
      this.list,
      h(
        "p",
        {},
        offenders.length
          ? "At the seam, where the end meets the beginning:"
          : seam?.state === "closed"
            ? "The end meets the beginning: nothing jumps and nothing changes its pace."
            : seam?.state === "one-shot"
              ? "This scene plays once, so it has no seam."
              : (seam?.problems?.join("\n") ?? "Measuring…"),
      ),
      h(
        "ul",
        {},
        offenders.map((offender) =>
          h(
            "li",
            {},
            icon("alert"),
            h(
              "span",
              {},
              h("strong", {}, `${offender.name} · ${offender.what}`),
              ` ${offender.cause}`,
              offender.patch?.length
                ? h(
                    "button.btn.btn-sm.quiet",
                    { type: "button", onclick: () => this.store.edit(offender.patch) },
                    offender.mend[0].toUpperCase() + offender.mend.slice(1),
                  )
                : null,
              h(
                "button.btn.btn-sm.quiet",
                {
                  type: "button",
                  title: "It may jump there: out of sight, say",
                  onclick: () => this.setMeant(offender, true),
                },
                "Meant so",
              ),
            ),
          ),
        ),
      ),
      seam?.meant?.length
        ? h(
            "ul",
            {},
            seam.meant.map((one) =>
              h(
                "li",
                {},
                icon("check"),
                h(
                  "span",
                  {},
                  h("strong", {}, `${one.name} · ${one.what}`),
                  " jumps, and is meant to.",
                  h(
                    "button.btn.btn-sm.quiet",
                    { type: "button", onclick: () => this.setMeant(one, false) },
                    "Count it again",
                  ),
                ),
              ),
            ),
          )
        : null,
      offenders.filter((offender) => offender.patch?.length).length > 1 &&
        h(
          "button.btn.btn-sm.quiet",
          { type: "button", onclick: () => this.store.edit(offenders.flatMap((offender) => offender.patch ?? [])) },
          "Mend all",
        ),
    );
  }
}
