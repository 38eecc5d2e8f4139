// Shortcuts as people read them: "Ctrl Shift Z", "Space", "+ or =". What the page shows is what it listens to.

const NAMES = { Space: " ", Del: "Delete", "−": "-" };

/**
 * Return whether a key press is one of those that words name.
 *
 * Signs are matched as they are typed, so that it does not matter on which key of a keyboard they lie, and with which
 * other key; letters are matched with Shift exactly as said.
 * @param {string} words
 * @param {KeyboardEvent} event
 * @returns {boolean}
 */
export function isPressed(words, event) {
  return words.split(" or ").some((press) => {
    const parts = press.split(" ");
    const key = parts.pop();
    if (parts.includes("Ctrl") !== (event.ctrlKey || event.metaKey)) return false;
    const isLetter = /^[A-Z]$/.test(key);
    if (isLetter && parts.includes("Shift") !== event.shiftKey) return false;
    return isLetter ? event.key.toUpperCase() === key : event.key === (NAMES[key] ?? key);
  });
}
