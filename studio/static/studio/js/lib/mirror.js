// Several figures can be given one value: an edit of one of them is made to the others that have the same thing.

import { setOperations, valueAt } from "./json-patch.js";

const IN_FIGURE = /^\/figures\/(\d+)\/(place|routine|looks)(\/.*)$/;

/**
 * Return the operations that give other figures the value that one of them got.
 * @param {object} document
 * @param {string} pointer to a value of one figure
 * @param {*} value
 * @param {number[]} others numbers of the other figures
 */
export function mirrored(document, pointer, value, others) {
  const match = pointer.match(IN_FIGURE);
  if (!match) return [];
  const [, own, part, rest] = match;
  const made = [];
  for (const other of others) {
    if (other === Number(own)) continue;
    const target = targetOf(document, Number(own), other, part, rest);
    if (target) made.push(...setOperations(document, target, value));
  }
  return made;
}

/** A step or look is found in the other figure by its kind, counted from the top. */
function targetOf(document, own, other, part, rest) {
  if (part === "place") return `/figures/${other}/place${rest}`;
  const [, index, ...more] = rest.split("/");
  const items = valueAt(document, `/figures/${own}/${part}`) ?? [];
  const kind = items[Number(index)]?.kind;
  const rank = items.slice(0, Number(index)).filter((item) => item.kind === kind).length;
  const found = (valueAt(document, `/figures/${other}/${part}`) ?? [])
    .map((item, k) => (item.kind === kind ? k : -1))
    .filter((k) => k >= 0)[rank];
  return found === undefined ? null : `/figures/${other}/${part}/${[found, ...more].join("/")}`;
}
