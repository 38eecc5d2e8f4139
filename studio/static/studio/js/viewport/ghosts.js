// Onion skins: the figures of the frames around the shown one, as faint shapes over it.

import { ghostFrames } from "../lib/ghost-frames.js";
import { Stage } from "./stage.js";

export class Ghosts {
  constructor(shared) {
    this.shared = shared;
    this.stages = [];
    // The frames that the page holds; those that are not there yet are left out until they are.
    this.headers = new Map();
  }

  /** Draw them over the screen as the camera of the shown frame sees them: the selected figures, or all. */
  draw(viewport, side, { onion, frame, selection, also }) {
    const shown = onion.on ? ghostFrames(frame, onion, viewport.store.clock).filter((one) => this.headers.has(one.frame)) : [];
    while (this.stages.length > shown.length) this.stages.pop().clear();
    const chosen = selection?.family === "figures" ? new Set([selection.id, ...also]) : null;
    for (const [k, one] of shown.entries()) {
      const stage = (this.stages[k] ??= new Stage(this.shared));
      stage.feed(this.headers.get(one.frame), viewport.buffers, viewport.aim(side), chosen);
      if (stage.drawMask(viewport.renderer, viewport.screen.mask)) viewport.screen.ghost(one.strength, one.isEarlier, side.part);
    }
  }
}
