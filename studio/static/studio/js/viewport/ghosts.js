// Onion skins: the figures of the frames around the shown one, as faint shapes over it.

import { ghostFrames } from "../lib/ghost-frames.js";
import { Stage } from "./stage.js";

export class Ghosts {
  constructor(shared) {
    this.shared = shared;
    this.stages = [];
    // The frames that the page holds; those that are not there yet are left out until they are.
    this.headers = new Map();
    this.drawn = [];
  }

  /** The frames around the shown one that are held, each with how far off it is. */
  around({ state, clock }) {
    const ghosts = state.onion.on ? ghostFrames(state.frame, state.onion, clock) : [];
    return ghosts.map((one) => ({ ...one, header: this.headers.get(one.frame) })).filter(({ header }) => header);
  }

  /** Whether what is held of them has changed since they were drawn. */
  isStale(store) {
    const now = this.around(store);
    return now.length !== this.drawn.length || now.some(({ header }, k) => header !== this.drawn[k]);
  }

  /** Draw them over the screen as the camera of the shown frame sees them: the selected figures, or all. */
  draw(viewport, side) {
    const { selection, also } = viewport.store.state;
    const shown = this.around(viewport.store);
    this.drawn = shown.map(({ header }) => header);
    while (this.stages.length > shown.length) this.stages.pop().clear();
    const chosen = selection?.family === "figures" ? new Set([selection.id, ...also]) : null;
    for (const [k, one] of shown.entries()) {
      const stage = (this.stages[k] ??= new Stage(this.shared));
      stage.feed(one.header, viewport.buffers, viewport.aim(side), chosen);
      if (stage.drawMask(viewport.renderer, viewport.screen.mask)) viewport.screen.ghost(one.strength, one.isEarlier, side.part);
    }
  }
}
