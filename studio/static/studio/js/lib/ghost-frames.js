// Which frames are seen through the shown one.

const FAINTEST = 0.3;

/** Return the frames whose ghosts are shown, the furthest first: how far each is, and whether it comes earlier. */
export function ghostFrames(frame, { each, apart }, { frames, loops }) {
  const found = [];
  for (let k = each; k >= 1; k -= 1) {
    const strength = 1 - ((k - 1) / each) * (1 - FAINTEST);
    for (const way of [-1, 1]) {
      const at = frame + way * k * apart;
      const wrapped = loops ? ((at % frames) + frames) % frames : at;
      if (wrapped < 0 || wrapped >= frames || wrapped === frame || found.some((one) => one.frame === wrapped)) continue;
      found.push({ frame: wrapped, strength, isEarlier: way < 0 });
    }
  }
  return found;
}
