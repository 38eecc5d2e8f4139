// The view as the server's renderer draws it: slow, but complete. It is there where the browser has no WebGL, or has lost
// it for a while.

import { ApiError, postForBlob, postJson, untilAnswered } from "../api.js";
import { h } from "../lib/dom.js";
import { PASSES } from "../lib/proof-time.js";
import { frameBoxIn, lookOf, View } from "./view.js";

const MOST_WIDE = 1920;
const REST_MS = 400;
// The first picture leaves out what takes rays, so that it follows what moves; the others are those of a proof.
const PAINTED = [{ scale: 0.4, samples: 1, quick: true }, ...PASSES.slice(1)];

/** The renderer's pictures over a canvas, coarse first and then finer. */
export class Paintings {
  /** `onLaid` is called once there is a picture. */
  constructor(store, canvas, onLaid = () => {}) {
    this.store = store;
    this.canvas = canvas;
    this.onLaid = onLaid;
    this.picture = h("img.painted", { alt: "", hidden: true });
    canvas.after(this.picture);
    this.wanted = null;
    this.isAsking = false;
  }

  /**
   * Show a frame as it is seen from a free view, or by its camera without one. What is asked for meanwhile waits until
   * the picture that is being made is there, so that there is something to be seen however much moves.
   */
  show(header, free) {
    clearTimeout(this.timer);
    this.stops?.abort();
    this.wanted = { header, free, pass: 0 };
    this.ask();
  }

  hide() {
    clearTimeout(this.timer);
    this.stops?.abort();
    this.wanted = null;
    this.picture.hidden = true;
  }

  async ask() {
    if (this.isAsking || !this.wanted) return;
    this.isAsking = true;
    const wanted = this.wanted;
    try {
      this.lay(wanted, await this.painted(wanted));
    } catch (error) {
      if (error.name !== "AbortError" && !(error instanceof ApiError)) throw error;
      // One that a newer one has overtaken on the server is asked for again below.
      if (error instanceof ApiError && error.status !== 410) this.store.set({ problem: error.message });
    } finally {
      this.isAsking = false;
    }
    if (this.wanted && this.wanted !== wanted) this.ask();
    else if (this.wanted && wanted.pass < PAINTED.length - 1 && !this.store.state.playing) {
      wanted.pass += 1;
      this.timer = setTimeout(() => this.ask(), wanted.pass === 1 ? REST_MS : 0);
    }
  }

  painted({ header, free, pass }) {
    const { store } = this;
    const { scale, samples, quick = false } = PAINTED[pass];
    const { compared, side } = store.state;
    const box = frameBoxIn(this.canvas.clientWidth, this.canvas.clientHeight, header);
    // What is coarse is soon there, and always comes; the finer ones end when something else is wanted.
    this.stops = pass ? new AbortController() : null;
    const asked = {
      state: compared && side === "then" ? compared.id : null,
      frame: header.frame,
      width: Math.max(16, Math.round(Math.min(MOST_WIDE, this.canvas.clientWidth * box[2]) * scale)),
      samples,
      look: free && lookOf(free),
      flat: store.state.flat,
      quick,
      view: `${store.viewId}-painted`,
    };
    return untilAnswered(
      () => postForBlob(`/scenes/${store.sceneId}/painted`, asked, this.stops?.signal),
      (problem) => store.set({ problem }),
    );
  }

  lay({ header }, blob) {
    if (!this.wanted) return;
    const [x, y, width, height] = frameBoxIn(this.canvas.clientWidth, this.canvas.clientHeight, header);
    Object.assign(this.picture.style, {
      left: `${x * 100}%`,
      bottom: `${y * 100}%`,
      width: `${width * 100}%`,
      height: `${height * 100}%`,
    });
    const before = this.picture.src;
    this.picture.src = URL.createObjectURL(blob);
    this.picture.hidden = false;
    this.onLaid();
    if (before) URL.revokeObjectURL(before);
  }

  /** What is under a point of the canvas: the figure's id, and the place in the world; or null. */
  async pick(view, x, y) {
    const [left, foot, width, height] = view.frameBox();
    const { clientWidth, clientHeight } = this.canvas;
    const place = [(x / clientWidth - left) / width, 1 - (1 - y / clientHeight - foot) / height];
    if (place.some((share) => share < 0 || share > 1)) return null;
    try {
      const { figure, depth } = await postJson(`/scenes/${this.store.sceneId}/under`, {
        frame: view.header.frame,
        place,
        look: view.free && lookOf(view.free),
      });
      return figure && { figure, place: view.placeAt(x, y, depth) };
    } catch (error) {
      if (!(error instanceof ApiError)) throw error;
      return null;
    }
  }
}

/** The whole view of a browser without WebGL. */
export class PaintedView extends View {
  constructor(store, canvas) {
    super(store, canvas);
    this.paintings = new Paintings(store, canvas, () => this.reveal());
    store.on("flat side compared playing", () => this.redraw());
    new ResizeObserver(() => this.redraw()).observe(canvas.parentElement);
  }

  draw(header, buffers) {
    this.header = header;
    this.buffers = buffers;
    this.redraw();
  }

  redraw() {
    if (!this.header) return;
    this.tell(["no WebGL here: drawn by the renderer, slowly"]);
    this.paintings.show(this.header, this.free);
    this.store.emit("drawn", this.header);
  }

  pick(x, y) {
    return this.paintings.pick(this, x, y);
  }
}
