// Which frames are seen through the shown one.

import { wrapped } from "./numbers.js";

const FAINTEST = 0.3;

/** Return the frames whose ghosts are shown, the furthest first: how far each is, and whether it comes earlier. */
export function ghostFrames(frame, { each, apart }, { frames, loops }) {
  const found = [];
  for (let k = each; k >= 1; k -= 1) {
    const strength = 1 - ((k - 1) / each) * (1 - FAINTEST);
    for (const way of [-1, 1]) {
      const away = frame + way * k * apart;
      const at = loops ? wrapped(away, frames) : away;
      if (at < 0 || at >= frames || at === frame || found.some((one) => one.frame === at)) continue;
      found.push({ frame: at, strength, isEarlier: way < 0 });
    }
  }
  return found;
}
