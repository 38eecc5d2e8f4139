// How names of the scene's file are said in words.

/** The name of a kind or setting in words. */
export const plainWords = (name) => name.replaceAll("_", " ");
