// The four sorts of value in a document.

/** Which of the four sorts a value in the document is. */
export function sortOf(value) {
  return value !== null && typeof value === "object" && !Array.isArray(value) ? value.sort : "fixed";
}

// The size of the picture and the clock are the same at all frames.
const STILL = /^\/(?:clock\/|frame\/(?:width|height)$)/;

/** Whether a value may be keyed, swing or be computed, by its declaration and where it stands. */
export function canMove(setting, pointer) {
  return Boolean(setting?.can_move) && !STILL.test(pointer);
}
