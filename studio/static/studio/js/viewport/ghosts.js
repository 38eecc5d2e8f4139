// Onion skins: the figures of the frames around the shown one, as faint shapes over it.

import { ghostFrames } from "../lib/ghost-frames.js";
import { isAlike } from "../lib/lists.js";
import { Stage } from "./stage.js";

export class Ghosts {
  constructor(shared) {
    this.shared = shared;
    this.stages = [];
    // The frames that the page holds; those that are not there yet are left out until they are.
    this.headers = new Map();
    this.drawn = [];
    this.look = [];
  }

  /** The frames around the shown one that are held, each with how far off it is. */
  around({ state, clock }) {
    const ghosts = state.onion.on ? ghostFrames(state.frame, state.onion, clock) : [];
    return ghosts.map((one) => ({ ...one, header: this.headers.get(one.frame) })).filter(({ header }) => header);
  }

  /** Whether what is held of them has changed since they were drawn. */
  isStale(store) {
    return !isAlike(
      this.around(store).map(({ header }) => header),
      this.drawn,
    );
  }

  /** Put them over the screen as the camera of the shown frame sees them: the selected figures, or all. */
  draw(viewport, side) {
    const { free, screen, store } = viewport;
    const { onion, selection, also } = store.state;
    const shown = this.around(store);
    const chosen = selection?.family === "figures" ? new Set([selection.id, ...also]) : null;
    this.drawn = shown.map(({ header }) => header);
    // They stay as they are while the picture below them becomes finer.
    const look = [screen.skins, free, side.header, onion, [...(chosen ?? [])].join(), ...this.drawn];
    if (!isAlike(look, this.look)) this.drawAnew(viewport, side, shown, chosen);
    this.look = look;
    if (shown.length) screen.overlay(side.part);
  }

  drawAnew(viewport, side, shown, chosen) {
    const { renderer, screen } = viewport;
    screen.clearGhosts();
    while (this.stages.length > shown.length) this.stages.pop().clear();
    for (const [k, one] of shown.entries()) {
      const stage = (this.stages[k] ??= new Stage(this.shared));
      stage.feed(one.header, viewport.buffers, viewport.aim(side), chosen);
      if (stage.drawMask(renderer, screen.mask)) screen.ghost(one.strength, one.isEarlier);
    }
  }
}
