// How long a proof will take, from how long its coarser pictures took.

// The pictures of a proof: its share of the full width, and samples for each pixel. The last is as fine as any.
export const PASSES = [
  { scale: 0.25, samples: 1 },
  { scale: 0.5, samples: 2 },
  { scale: 1, samples: 3 },
  { scale: 1, samples: 12 },
];

/** How much is to be drawn in a pass; of every pixel, what does not hang on its samples counts as much as three. */
const work = ({ scale, samples }) => scale ** 2 * (samples + 3);

/**
 * Return in about how many seconds the last pass will be there, when the first ones took so long; null if that cannot be
 * told yet. The first one computes the frame, too, so it tells nothing of the others.
 * @param {number[]} took seconds of the passes that are done
 */
export function secondsLeft(took) {
  const done = took.length;
  if (done < 2 || done >= PASSES.length) return null;
  const last = PASSES[done - 1];
  // From two on, what every pass takes whatever its size is told from what grows with it.
  const each =
    done > 2
      ? Math.max(0, took[done - 1] - took[done - 2]) / (work(last) - work(PASSES[done - 2]))
      : took[done - 1] / work(last);
  return PASSES.slice(done).reduce((sum, pass) => sum + took[done - 1] + each * (work(pass) - work(last)), 0);
}

/** Return seconds in words: whole ones from ten on. */
export function inSeconds(seconds) {
  return `${seconds < 10 ? seconds.toFixed(1) : Math.round(seconds)} s`;
}
