// At rest the picture becomes finer: the mean of several passes, each moved by a part of a pixel and with other thresholds
// of opacity.

import { drawn } from "./fence.js";

// Each row and column of an eight by eight grid is taken once; the one nearest to the middle comes first.
export const PASSES = [
  [3, 4],
  [6, 2],
  [1, 6],
  [4, 1],
  [7, 7],
  [0, 0],
  [5, 5],
  [2, 3],
].map((place) => place.map((step) => (step + 0.5) / 8 - 0.5));
export const FINE_PASSES = PASSES.length;
// Not before it has rested a little: somebody may be stepping through the frames.
const REST_MS = 260;
// Shadows of many lights take long without a graphics card, so they wait until one surely only looks.
const SHADOWS_REST_MS = 1200;
// Without a graphics card a pass is drawn in bands of about so long.
const BAND_MS = 250;
const MOST_BANDS = 12;
// Where one takes more of them, a coarse picture is there first.
const FEW_BANDS = 2;

export class Fine {
  constructor(viewport) {
    this.viewport = viewport;
    this.bands = viewport.isSoftware ? 4 : 1;
    this.run = null;
    // Whether what is shown is as fine as it will be.
    this.isDone = false;
  }

  /** Let what was just drawn become finer, unless something is drawn before. */
  beginSoon(sides) {
    const { viewport } = this;
    const isSlow = viewport.isSoftware && viewport.hasShadows(sides);
    this.timer = setTimeout(() => this.begin(sides), isSlow ? SHADOWS_REST_MS : REST_MS);
  }

  stop() {
    clearTimeout(this.timer);
    this.run = null;
    this.isDone = false;
  }

  /** Whether a picture at rest takes so long that a coarse one is drawn before it, for all that is known. */
  get isSlow() {
    return this.bands > FEW_BANDS;
  }

  /** In how many bands a pass is drawn that takes so many milliseconds: what is begun cannot be broken off. */
  bandsFor(took) {
    return this.viewport.isSoftware ? Math.min(MOST_BANDS, Math.max(1, Math.round(took / BAND_MS))) : 1;
  }

  /**
   * Let the picture become finer pass by pass, each in bands if it takes long. None is asked for before the last is
   * drawn: an edit never waits for several.
   * @param {object[]} once the sides as they were drawn once; where that was coarse, they are drawn anew
   */
  async begin(once) {
    const { viewport } = this;
    const { renderer, screen } = viewport;
    const run = (this.run = {});
    const isOver = async () => {
      await drawn(renderer.getContext());
      await new Promise(requestAnimationFrame);
      return this.run !== run;
    };
    const coarse = viewport.width;
    viewport.setSize(viewport.fineSize);
    const wasCoarse = viewport.width !== coarse;
    if (wasCoarse) viewport.feed();
    const sides = wasCoarse ? viewport.sides : once;
    const hasShadows = viewport.hasShadows(sides);
    let began = null;
    // What has shadows begins anew: those of the first picture have hard edges.
    for (let number = hasShadows || wasCoarse ? 0 : 1; number < FINE_PASSES; number += 1) {
      if (await isOver()) return;
      if (began !== null) this.bands = this.bandsFor((performance.now() - began) / sides.length);
      began = performance.now();
      for (const side of sides) {
        for (let band = 0; band < this.bands; band += 1) {
          if (band && (await isOver())) return;
          viewport.drawPass(side, number, screen, FINE_PASSES, [band, this.bands]);
        }
        side.mean = screen.meanOf(number, side.mean ?? screen.picture, side);
      }
      const isSeen = (number === 3 && !hasShadows) || (number === 0 && wasCoarse) || number === FINE_PASSES - 1;
      // All at once: once the screen was refreshed, the canvas holds nothing any more.
      if (isSeen) for (const side of sides) viewport.compose(side, side.mean);
    }
    this.isDone = true;
    viewport.reel.glimpses.fetchSoon();
  }
}
