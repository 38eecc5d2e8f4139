// Proofs: the real renderer's picture of the current frame, over the view, with a wipe to compare; a strip keeps them.

import { ApiError, postForBlob, untilAnswered } from "../api.js";
import { h, icon, refill } from "../lib/dom.js";
import { PASSES, inSeconds, secondsLeft } from "../lib/proof-time.js";
import { ProofPart } from "./proof-part.js";
import { wipeBar } from "./wipe.js";

const KEPT = 8;
const nameOf = ({ frame, part }) => `Proof of ${part ? "a part of " : ""}frame ${frame}`;

export class Proofs {
  constructor(store, viewport, element) {
    this.store = store;
    this.viewport = viewport;
    this.element = element;
    this.kept = [];
    this.shown = null;
    this.making = null; // the proof that is being made, with what stops it
    this.wipe = 0;
    store.on("frame document", () => this.shown && !this.shown.pinned && this.close());
    this.button = document.getElementById("proof");
    this.button.addEventListener("click", () => this.make());
    this.choosing = new ProofPart(viewport, (part) => this.make(part));
    document.getElementById("proof-part").addEventListener("click", () => this.choosePart());
  }

  /**
   * Render coarse first, then finer and finer; one that is under way ends.
   * @param {number[]|null} part what alone is to be fine: left, top, right and bottom, from 0 to 1 of the picture
   */
  async make(part = null) {
    this.stop();
    const { store } = this;
    const proof = { frame: store.state.frame, part, pinned: false, took: [], stops: new AbortController() };
    this.making = proof;
    this.tell();
    try {
      await store.send();
      for (const pass of PASSES) {
        await this.refine(proof, pass);
        if (this.making !== proof) return;
      }
    } catch (error) {
      if (error.name === "AbortError") return;
      if (!(error instanceof ApiError)) throw error;
      if (error.status !== 410) store.set({ problem: error.message });
    } finally {
      if (this.making === proof) this.end();
    }
  }

  /** Let a part of the picture be chosen, and render that. */
  choosePart() {
    this.close();
    this.choosing.begin();
  }

  async refine(proof, { scale, samples }) {
    const { store, viewport } = this;
    // As wide as it is seen, however coarse the view is drawn meanwhile.
    const shown = viewport.canvas.clientWidth * viewport.frameBox()[2] * Math.min(window.devicePixelRatio, 2);
    const width = Math.min(1920, Math.round(shown));
    const wanted = {
      frame: proof.frame,
      width: Math.max(16, Math.round(width * scale)),
      samples,
      part: proof.part,
      view: `${store.viewId}-proof`,
    };
    const began = performance.now();
    const blob = await untilAnswered(
      () => postForBlob(`/scenes/${store.sceneId}/proof`, wanted, proof.stops.signal),
      (problem) => store.set({ problem }),
    );
    if (this.making !== proof) return;
    proof.took.push((performance.now() - began) / 1000);
    if (proof.url) URL.revokeObjectURL(proof.url);
    proof.url = URL.createObjectURL(blob);
    proof.isWhole = proof.took.length === PASSES.length;
    this.show(proof);
  }

  /** Stop the proof that is being made; as fine as it is, it stays. */
  stop() {
    if (!this.making) return;
    this.making.stops.abort();
    this.end();
  }

  end() {
    const proof = this.making;
    this.making = null;
    if (proof.url) {
      const out = this.kept.slice(KEPT - 1);
      for (const one of out) if (one !== this.shown) URL.revokeObjectURL(one.url);
      this.kept = [proof, ...this.kept].slice(0, KEPT);
      if (this.shown === proof) this.show(proof);
    }
    this.tell();
  }

  tell() {
    this.button.textContent = this.making ? "Proof…" : "Proof";
  }

  /** What is told of a proof: how long it took, or in how long it will be whole. */
  words(proof) {
    const name = nameOf(proof);
    if (proof.isWhole) return `${name}, ${inSeconds(proof.took.reduce((sum, one) => sum + one, 0))}`;
    if (proof !== this.making) return `${name}, stopped before it was fine`;
    const left = secondsLeft(proof.took);
    return left === null ? `${name}, coarse` : `${name}, fine in about ${inSeconds(left)}`;
  }

  /** Show a proof; one that is shown already only as fine as it is now, so that its wipe can be held meanwhile. */
  show(proof) {
    const isAnother = this.shown !== proof;
    this.shown = proof;
    if (isAnother) this.lay(proof);
    this.picture.src = proof.url;
    refill(this.told, this.words(proof));
    this.stopper.hidden = proof !== this.making;
    refill(
      this.strip,
      this.kept.map((one) => this.thumbnail(one)),
    );
  }

  thumbnail(proof) {
    return h(
      `button${proof === this.shown ? ".current" : ""}`,
      {
        type: "button",
        "aria-label": nameOf(proof),
        onclick: () => {
          proof.pinned = true;
          this.show(proof);
        },
      },
      h("img", { src: proof.url, alt: "" }),
    );
  }

  /** Lay a proof's picture over the view, with all that belongs to it. */
  lay(proof) {
    const [x, y, w, hh] = this.viewport.frameBox();
    const picture = h("img.proof-picture", { alt: nameOf(proof) });
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
    this.picture = picture;
    this.told = h("span", { role: "status" });
    this.stopper = h("button.plain", { type: "button", onclick: () => this.stop() }, "Stop");
    this.strip = h("div.proof-strip");
    const close = h(
      "button.plain",
      { type: "button", "aria-label": "Close the proof", onclick: () => this.close() },
      icon("x"),
    );
    this.element.hidden = false;
    refill(this.element, picture, bar, h("div.proof-words", {}, this.told, this.stopper, close), this.strip);
  }

  /** Leave what is shown: stop it if it is being made, else close it; false if nothing is. */
  leave() {
    if (this.choosing.end()) return true;
    if (this.making) this.stop();
    else if (this.shown) this.close();
    else return false;
    return true;
  }

  close() {
    this.stop();
    this.shown = null;
    this.element.hidden = true;
  }
}
