// Proofs: the real renderer's picture of the current frame, over the view, with a wipe to compare; a strip keeps them.

import { ApiError, postForBlob, untilAnswered } from "../api.js";
import { h, icon, refill } from "../lib/dom.js";
import { wipeBar } from "./wipe.js";

const KEPT = 8;

export class Proofs {
  constructor(store, viewport, element) {
    this.store = store;
    this.viewport = viewport;
    this.element = element;
    this.kept = [];
    this.shown = null;
    this.wipe = 0;
    store.on("frame document", () => this.shown && !this.shown.pinned && this.close());
    this.button = document.getElementById("proof");
    this.button.addEventListener("click", () => this.make());
  }

  /** Render coarse first, then fine. */
  async make() {
    const { store } = this;
    await store.send();
    const { frame } = store.state;
    const width = Math.min(1920, Math.round(this.viewport.width * this.viewport.frameBox()[2]));
    this.button.disabled = true;
    this.button.textContent = "Proof…";
    const proof = { frame, pinned: false };
    const began = performance.now();
    try {
      for (const [scale, samples] of [
        [0.5, 1],
        [1, 12],
      ]) {
        const ask = () =>
          postForBlob(`/scenes/${store.sceneId}/proof`, {
            frame,
            width: Math.max(16, Math.round(width * scale)),
            samples,
            view: `${store.viewId}-proof`,
          });
        const blob = await untilAnswered(ask, (problem) => store.set({ problem }));
        if (proof.url) URL.revokeObjectURL(proof.url);
        proof.url = URL.createObjectURL(blob);
        this.show(proof);
      }
      proof.seconds = (performance.now() - began) / 1000;
      this.kept = [proof, ...this.kept].slice(0, KEPT);
      this.show(proof);
    } catch (error) {
      if (!(error instanceof ApiError)) throw error;
      if (error.status !== 410) store.set({ problem: error.message });
    } finally {
      this.button.disabled = false;
      this.button.textContent = "Proof";
    }
  }

  show(proof) {
    this.shown = proof;
    const [x, y, w, hh] = this.viewport.frameBox();
    const picture = h("img.proof-picture", { src: proof.url, alt: `Proof of frame ${proof.frame}` });
    Object.assign(picture.style, {
      left: `${x * 100}%`,
      bottom: `${y * 100}%`,
      width: `${w * 100}%`,
      height: `${hh * 100}%`,
    });
    const bar = wipeBar(
      "Wipe between the view and the proof",
      () => this.viewport.frameBox(),
      this.wipe,
      (share) => {
        this.wipe = share;
        picture.style.clipPath = `inset(0 0 0 ${share * 100}%)`;
      },
    );
    this.element.hidden = false;
    refill(
      this.element,
      picture,
      bar,
      h(
        "div.proof-words",
        {},
        h("span", {}, `Proof of frame ${proof.frame}${proof.seconds ? `, ${proof.seconds.toFixed(1)} s` : ""}`),
        h("button.plain", { type: "button", "aria-label": "Close the proof", onclick: () => this.close() }, icon("x")),
      ),
      h(
        "div.proof-strip",
        {},
        this.kept.map((one) =>
          h(
            `button${one === proof ? ".current" : ""}`,
            {
              type: "button",
              "aria-label": `Proof of frame ${one.frame}`,
              onclick: () => {
                one.pinned = true;
                this.show(one);
              },
            },
            h("img", { src: one.url, alt: "" }),
          ),
        ),
      ),
    );
  }

  close() {
    this.shown = null;
    this.element.hidden = true;
  }
}
