// How well entries of the finder meet what is typed.

// How well a typed word is met: all of what a thing is called, its beginning, a word of that; what else people call it;
// and what is told of it. What is met least well still counts, after all else.
const [WHOLE, BEGINS, IN_TITLE, CALLED, CALLED_LIKE, WITHIN, TOLD, SOMEWHERE] = [0, 0.4, 0.8, 1, 1.6, 3, 4, 6];

function met(word, title, called, told) {
  if (title === word) return WHOLE;
  if (title.startsWith(word)) return BEGINS;
  if (title.includes(` ${word}`)) return IN_TITLE;
  // What comes first of what people call it is what it is called most.
  if (called.includes(word)) return CALLED + called.indexOf(word) / 50;
  if (called.some((one) => one.startsWith(word))) return CALLED_LIKE;
  if (title.includes(word)) return WITHIN;
  if (` ${told}`.includes(` ${word}`)) return TOLD;
  return told.includes(word) ? SOMEWHERE : -1;
}

/** Rank an entry against the words typed: less is better, below 0 is nothing; all of them must be met, if there are any. */
export function rank({ title, words = "", help = "", weight = 0 }, text) {
  const typed = text.toLowerCase().trim().split(/\s+/).filter(Boolean);
  if (!typed.length) return 0;
  const called = words.toLowerCase().split(/\s+/);
  const name = title.toLowerCase();
  if (typed.length > 1 && name === typed.join(" ")) return 0;
  let score = weight + name.length / 1000;
  for (const word of typed) {
    const found = met(word, name, called, help.toLowerCase());
    if (found < 0) return -1;
    score += found;
  }
  return score;
}
