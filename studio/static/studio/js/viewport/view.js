// What all ways to draw the view have in common: where one looks from, and what the pointer does there.

import { cross, minus, plus, scaled, unit } from "../lib/vectors.js";
import { closer, framing, lookAround, slide } from "./orbit.js";
import { takePlace } from "./take-place.js";

const CLICK_PX = 4;

/** Where a frame's picture lies within an area: x, y, width, height in 0..1, from the foot. */
export function frameBoxIn(width, height, { background }) {
  const aspect = background.width / background.height;
  const wide = width / height > aspect;
  const w = wide ? (height * aspect) / width : 1;
  const h = wide ? 1 : width / aspect / height;
  return [(1 - w) / 2, (1 - h) / 2, w, h];
}

/** What the server is told of where one looks from. */
export const lookOf = ({ position, forward, up, tangent }) => ({ position, forward, up, tangent });

/** Whoever draws it has redraw(), and pick(x, y): what is under a point of the canvas, or a promise of that. */
export class View {
  constructor(store, canvas) {
    this.store = store;
    this.canvas = canvas;
    this.free = null;
    this.near = document.getElementById("near");
    this.first = document.getElementById("first-picture");
    store.on("picking", () => canvas.classList.toggle("picking", Boolean(store.state.picking)));
    this.listen();
  }

  get width() {
    return this.canvas.clientWidth;
  }

  get height() {
    return this.canvas.clientHeight;
  }

  /** Where the picture's frame lies within the canvas. */
  frameBox() {
    return frameBoxIn(this.width, this.height, this.header);
  }

  /** Say what the view shows otherwise than the proof. */
  tell(words) {
    this.near.hidden = !words.length;
    this.near.textContent = words.join(" · ");
  }

  /** Take away what the server showed until there was a picture of the view's own. */
  reveal() {
    this.first?.remove();
    this.first = null;
  }

  /** Take what the page holds of the frames; those that only draw the one that is shown need none. */
  holds() {}

  /** A frame has come to be held. */
  took() {}

  /** Whether a frame can be shown for a moment by a picture of it, though it is not held. */
  hasPicture() {
    return false;
  }

  /** Whether what plays is shown by such pictures alone. */
  get playsPictures() {
    return false;
  }

  /** How many frames are left out between those that can be had in time while it plays. */
  get leavesOut() {
    return 0;
  }

  /** Ask for such pictures of what plays. */
  wantPicture() {}

  /** Show such a picture; false if there is none. */
  flash() {
    return false;
  }

  currentView() {
    return this.free ?? this.header.view;
  }

  freeView() {
    if (this.free) return this.free;
    const { position, forward, up, tangent } = this.header.view;
    const distance = Math.max(50, -(position[0] * forward[0] + position[1] * forward[1] + position[2] * forward[2]));
    return { position, forward, up, tangent, pivot: plus(position, scaled(forward, distance)) };
  }

  look(view) {
    this.free = view;
    this.store.set({ free: true });
    this.redraw();
  }

  backToCamera() {
    this.free = null;
    this.store.set({ free: false });
    this.redraw();
  }

  /** The place in the world that is so far along the line of sight under a point of the canvas. */
  placeAt(x, y, depth) {
    const { position, forward, up, tangent } = this.currentView();
    const { clientWidth: width, clientHeight: height } = this.canvas;
    const right = unit(cross(forward, up));
    const each = (2 * tangent) / this.frameBox()[2] / width;
    const across = plus(scaled(right, (x - width / 2) * each), scaled(up, (height / 2 - y) * each));
    return plus(position, scaled(plus(forward, across), depth));
  }

  listen() {
    const { canvas } = this;
    canvas.addEventListener("contextmenu", (event) => event.preventDefault());
    canvas.addEventListener("pointerdown", (event) => {
      if (!this.header) return;
      canvas.setPointerCapture(event.pointerId);
      this.drag = { x: event.offsetX, y: event.offsetY, far: 0, slides: event.button === 2 };
    });
    canvas.addEventListener("pointermove", (event) => {
      if (!this.drag) return;
      const dx = event.offsetX - this.drag.x;
      const dy = event.offsetY - this.drag.y;
      this.drag.far += Math.abs(dx) + Math.abs(dy);
      this.drag.x = event.offsetX;
      this.drag.y = event.offsetY;
      if (this.drag.far < CLICK_PX) return;
      this.look(
        this.drag.slides ? slide(this.freeView(), dx, dy, canvas.clientWidth) : lookAround(this.freeView(), dx, dy),
      );
    });
    canvas.addEventListener("pointerup", (event) => {
      const isClick = this.drag && this.drag.far < CLICK_PX && event.button === 0;
      this.drag = null;
      if (isClick) this.click(event);
    });
    canvas.addEventListener(
      "wheel",
      (event) => {
        event.preventDefault();
        if (this.header) this.look(closer(this.freeView(), event.deltaY));
      },
      { passive: false },
    );
  }

  /** Select what is clicked at, or take its place for the setting that waits for one. */
  async click({ offsetX, offsetY, shiftKey, ctrlKey, metaKey }) {
    const found = await this.pick(offsetX, offsetY);
    if (this.store.state.picking) {
      takePlace(this.store, this.header, found?.place);
      return;
    }
    const figure = found?.figure;
    if (figure) this.store.select("figures", figure, { adds: shiftKey || ctrlKey || metaKey });
    this.store.set({ grip: figure ?? null, ...(figure ? { open: null } : {}) });
  }

  /** Bring the selected figure, or everything, into view. */
  frameSelection() {
    if (!this.header) return;
    const { selection } = this.store.state;
    let chosen = this.header.drawables.filter((one) => selection?.family === "figures" && one.figure === selection.id);
    if (!chosen.length) chosen = this.header.drawables;
    const low = [Infinity, Infinity, Infinity];
    const high = [-Infinity, -Infinity, -Infinity];
    for (const one of chosen) {
      const rows = this.buffers.get(one.matrices);
      for (let k = 0; k < one.count; k += 1) {
        for (let corner = 0; corner < 8; corner += 1) {
          const p = [0, 1, 2].map((axis) => ((corner >> axis) & 1 ? one.high : one.low)[axis]);
          for (let axis = 0; axis < 3; axis += 1) {
            const at = k * 12 + axis * 4;
            const value = rows[at] * p[0] + rows[at + 1] * p[1] + rows[at + 2] * p[2] + rows[at + 3];
            low[axis] = Math.min(low[axis], value);
            high[axis] = Math.max(high[axis], value);
          }
        }
      }
    }
    if (low[0] > high[0]) return;
    this.look(framing(this.freeView(), scaled(plus(low, high), 0.5), Math.hypot(...minus(high, low)) / 2 || 50));
  }
}
