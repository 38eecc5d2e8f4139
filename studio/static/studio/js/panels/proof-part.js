// The part of the picture that a proof is wanted of: dragged over the view, or moved by keys.

import { h } from "../lib/dom.js";
import { STEP, draggedPart, movedPart } from "../lib/part.js";

const MIDDLE = [0.3, 0.3, 0.7, 0.7];
const KEYS = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };

export class ProofPart {
  /** @param {(part: number[]) => void} done called with left, top, right and bottom, from 0 to 1 of the picture */
  constructor(viewport, done) {
    this.viewport = viewport;
    this.done = done;
    this.area = null;
  }

  begin() {
    this.end();
    this.before = document.activeElement;
    this.part = MIDDLE;
    this.box = h("div.proof-part-box", {
      tabIndex: 0,
      role: "application",
      "aria-label": "Part of the picture: arrows move it, with Shift they make it larger or smaller, Enter proofs it",
      onkeydown: (event) => this.onKey(event),
    });
    this.area = h(
      "div.proof-part",
      { onpointerdown: (event) => this.onDown(event) },
      this.box,
      h("p", { role: "status" }, "Drag over what the proof is wanted of, or press Enter"),
    );
    this.viewport.canvas.parentElement.append(this.area);
    this.show(MIDDLE);
    this.box.focus();
  }

  /** Leave it; false if there was nothing to leave. */
  end() {
    if (!this.area) return false;
    this.area.remove();
    this.area = null;
    this.before?.focus();
    return true;
  }

  show(part) {
    const [x, y, width, height] = this.viewport.frameBox();
    const [left, top, right, bottom] = part;
    this.part = part;
    Object.assign(this.box.style, {
      left: `${(x + left * width) * 100}%`,
      top: `${(1 - y - height + top * height) * 100}%`,
      width: `${(right - left) * width * 100}%`,
      height: `${(bottom - top) * height * 100}%`,
    });
  }

  finish() {
    const { part } = this;
    this.end();
    this.done(part);
  }

  /** Where a pointer is, from 0 to 1 of the picture. */
  placeOf(event) {
    const area = this.area.getBoundingClientRect();
    const [x, y, width, height] = this.viewport.frameBox();
    const right = (event.clientX - area.left) / area.width;
    const down = (event.clientY - area.top) / area.height;
    return [(right - x) / width, (down - (1 - y - height)) / height];
  }

  onDown(event) {
    if (event.button !== 0) return;
    event.preventDefault();
    const from = this.placeOf(event);
    const { area } = this;
    area.setPointerCapture(event.pointerId);
    area.onpointermove = (moved) => this.show(draggedPart(from, this.placeOf(moved)));
    area.onpointerup = (up) => {
      this.show(draggedPart(from, this.placeOf(up)));
      this.finish();
    };
    area.onpointercancel = () => this.end();
  }

  onKey(event) {
    if (event.key === "Enter") this.finish();
    else if (KEYS[event.key]) {
      const [right, down] = KEYS[event.key].map((way) => way * STEP);
      this.show(movedPart(this.part, right, down, event.shiftKey));
    } else return;
    event.preventDefault();
    event.stopPropagation();
  }
}
