// Choosing keys by a frame drawn around them.

import { h } from "../lib/dom.js";

/** Let a frame that is drawn over empty lanes choose the keys in it; with Shift, besides those that are chosen. */
export function listenKeyFrame(lanes) {
  const { rows } = lanes;
  let start = null;
  let frame = null;
  rows.addEventListener("pointerdown", (event) => {
    if (event.target.closest("button, input, select, .curve-editor") || event.button !== 0) return;
    start = [event.clientX, event.clientY];
    rows.setPointerCapture(event.pointerId);
  });
  rows.addEventListener("pointermove", (event) => {
    if (!start) return;
    frame ??= rows.appendChild(h("div.key-frame"));
    const box = rows.getBoundingClientRect();
    const [x0, x1] = [start[0], event.clientX].sort((a, b) => a - b);
    const [y0, y1] = [start[1], event.clientY].sort((a, b) => a - b);
    Object.assign(frame.style, {
      left: `${x0 - box.left}px`,
      top: `${y0 - box.top + rows.scrollTop}px`,
      width: `${x1 - x0}px`,
      height: `${y1 - y0}px`,
    });
    frame.bounds = [x0, x1, y0, y1];
  });
  rows.addEventListener("pointerup", (event) => {
    if (!start) return;
    start = null;
    if (!event.shiftKey) lanes.picked.clear();
    if (frame) {
      const [x0, x1, y0, y1] = frame.bounds;
      for (const peg of rows.querySelectorAll("[data-key]")) {
        const box = peg.getBoundingClientRect();
        const [x, y] = [(box.left + box.right) / 2, (box.top + box.bottom) / 2];
        if (x < x0 || x > x1 || y < y0 || y > y1) continue;
        lanes.picked.set(
          peg.dataset.lane,
          new Set([...(lanes.picked.get(peg.dataset.lane) ?? []), Number(peg.dataset.key)]),
        );
      }
      frame.remove();
      frame = null;
    }
    lanes.show();
  });
}
