// The contact sheet: frames evenly over the scene as the real renderer makes them, to judge the timing at a glance.

import { ApiError, postForBlob, untilAnswered } from "../api.js";
import { h, refill } from "../lib/dom.js";

const COUNTS = [8, 12, 24, 48];
const WIDTH = 264;
const SAMPLES = 4;

export class Sheet {
  constructor(store, dialog) {
    this.store = store;
    this.dialog = dialog;
    this.count = 12;
    this.urls = [];
    dialog.addEventListener("close", () => this.stop());
  }

  open() {
    this.dialog.showModal();
    this.fill();
  }

  stop() {
    // Ended by itself, not by its successor's request: of two requests the later may arrive first.
    this.running?.abort();
    this.running = null;
    for (const url of this.urls) URL.revokeObjectURL(url);
    this.urls = [];
  }

  /** Render frame after frame; the sheet can be used, changed and closed meanwhile. */
  async fill() {
    this.stop();
    const { store } = this;
    const mine = (this.running = new AbortController());
    const { frames, loops } = store.clock;
    const count = Math.min(this.count, frames);
    const shown = Array.from({ length: count }, (_, k) =>
      Math.round((k * (loops ? frames : frames - 1)) / (loops ? count : Math.max(count - 1, 1))),
    );
    const pictures = shown.map((frame) =>
      h(
        "button.sheet-frame",
        {
          type: "button",
          title: `Go to frame ${frame}`,
          onclick: () => {
            store.seek(frame);
            this.dialog.close();
          },
        },
        h("span.sheet-blank"),
        h("span.mono", {}, String(frame)),
      ),
    );
    const { width = 1920, height = 1080 } = store.document.frame;
    for (const picture of pictures) picture.firstChild.style.aspectRatio = `${width} / ${height}`;
    const words = h("span.quiet", { role: "status" }, `0 of ${count}`);
    refill(
      this.dialog.querySelector(".sheet"),
      h(
        "div.sheet-tools",
        {},
        COUNTS.map((one) =>
          h(
            "button.chip",
            {
              type: "button",
              "aria-pressed": String(one === this.count),
              onclick: () => {
                this.count = one;
                this.fill();
              },
            },
            `${one} frames`,
          ),
        ),
        words,
      ),
      h("div.sheet-frames", {}, pictures),
    );
    await store.send();
    for (const [k, frame] of shown.entries()) {
      if (this.running !== mine) return;
      try {
        const wanted = { frame, width: WIDTH, samples: SAMPLES };
        const ask = () => postForBlob(`/scenes/${store.sceneId}/proof`, wanted, mine.signal);
        const blob = await untilAnswered(ask, (problem) => (words.textContent = problem));
        if (this.running !== mine) return;
        const url = URL.createObjectURL(blob);
        this.urls.push(url);
        pictures[k].firstChild.replaceWith(h("img", { src: url, alt: `Frame ${frame}` }));
        words.textContent = k + 1 === count ? "" : `${k + 1} of ${count}`;
      } catch (error) {
        if (mine.signal.aborted) return;
        if (!(error instanceof ApiError)) throw error;
        words.textContent = error.message;
        return;
      }
    }
  }
}
