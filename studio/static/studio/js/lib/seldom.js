// Work that follows on what happens more often than anybody can see.

/** How often numbers change that somebody is to read, in milliseconds. */
export const READ_MS = 100;

/** Return a function that acts at once, but not again within so many milliseconds: what it is asked for then, it does after. */
export function seldom(act, waitMs) {
  let isWaiting = false;
  let isAsked = false;
  return function ask() {
    isAsked = isWaiting;
    if (isWaiting) return;
    act();
    isWaiting = true;
    setTimeout(() => {
      isWaiting = false;
      if (isAsked) ask();
    }, waitMs);
  };
}
