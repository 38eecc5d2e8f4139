// The four sorts of value in a document.

/** Which of the four sorts a value in the document is. */
export function sortOf(value) {
  return value !== null && typeof value === "object" && !Array.isArray(value) ? value.sort : "fixed";
}
