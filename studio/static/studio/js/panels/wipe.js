// A bar over the view that is dragged, or moved with the arrow keys, to see one picture on its left and another on its right.

import { h } from "../lib/dom.js";
import { slid } from "../lib/slide.js";

const KEY_STEP = 0.05;
const PAGE_STEP = 0.25;

/**
 * Make a wipe bar.
 * @param {() => number[]} box where the picture lies in the view: x, y, width, height in 0..1
 * @param {(share: number) => void} onMove with how much of the picture lies on the left
 */
export function wipeBar(label, box, share, onMove) {
  const bar = h("div.wipe-bar", {
    role: "slider",
    tabIndex: 0,
    "aria-label": label,
    "aria-valuemin": 0,
    "aria-valuemax": 100,
  });
  const put = (value) => {
    share = Math.max(0, Math.min(1, value));
    const [x, , width] = box();
    bar.style.left = `${(x + width * share) * 100}%`;
    bar.setAttribute("aria-valuenow", Math.round(share * 100));
    onMove(share);
  };
  bar.addEventListener("pointerdown", (event) => {
    bar.setPointerCapture(event.pointerId);
    bar.onpointermove = (move) => {
      const view = bar.parentElement.getBoundingClientRect();
      const [x, , width] = box();
      put(((move.clientX - view.left) / view.width - x) / width);
    };
  });
  bar.addEventListener("pointerup", () => (bar.onpointermove = null));
  bar.addEventListener("keydown", (event) => {
    const next = slid(event.key, share, { step: KEY_STEP, page: PAGE_STEP, least: 0, most: 1 });
    if (next === null) return;
    event.stopPropagation();
    event.preventDefault();
    put(next);
  });
  put(share);
  return bar;
}
