// Onion skins: how many frames before and after the shown one are seen through it, and how far apart.

import { h } from "../lib/dom.js";

const PARTS = [
  ["each", "each way", 8],
  ["apart", "frames apart", 240],
];

export class Onion {
  constructor(store, element) {
    this.store = store;
    this.button = h(
      "button.chip",
      {
        type: "button",
        title:
          "Onion skins: the selected figures, or all, in the frames around (G). Dotted is earlier, plain is later.",
        onclick: () => this.toggle(),
      },
      "Onion skins",
    );
    this.parts = PARTS.map(([name, words, most]) => {
      const input = h("input.mono", {
        type: "number",
        min: 1,
        max: most,
        "aria-label": `Onion skins ${words}`,
        onchange: () => this.take(name, input.value, most),
      });
      return { name, input, label: h("label.chip-number", {}, input, words) };
    });
    element.append(this.button, ...this.parts.map((part) => part.label));
    store.on("onion", () => this.show());
    this.show();
  }

  toggle() {
    const { onion } = this.store.state;
    this.store.set({ onion: { ...onion, on: !onion.on } });
  }

  show() {
    const { onion } = this.store.state;
    this.button.setAttribute("aria-pressed", String(onion.on));
    for (const { name, input, label } of this.parts) {
      label.hidden = !onion.on;
      input.value = onion[name];
    }
  }

  take(name, text, most) {
    const value = Math.round(Number(text));
    const { onion } = this.store.state;
    this.store.set({ onion: { ...onion, [name]: value >= 1 ? Math.min(most, value) : onion[name] } });
  }
}
