// Edits meet a document that somebody else has changed: what they left alone is carried over, found by its things' ids.

import { pointerParts, valueAt } from "./json-patch.js";

const escaped = (part) => String(part).replaceAll("~", "~0").replaceAll("/", "~1");

/**
 * Return where in another document the place is that a pointer named in the one before; null if what it led through is gone.
 * Things in lists are known by their ids; a place where something is put in lies before the thing that stood there.
 * @param {string} pointer
 * @param {object} before
 * @param {object} after
 * @returns {string|null}
 */
export function translated(pointer, before, after) {
  const way = [];
  let [old, now] = [before, after];
  const parts = pointerParts(pointer);
  for (const [depth, part] of parts.entries()) {
    if (old === null || now === null || typeof old !== "object" || typeof now !== "object") return null;
    const isLast = depth === parts.length - 1;
    let at = part;
    if (Array.isArray(old)) {
      if (!Array.isArray(now)) return null;
      const item = old[Number(part)];
      if (part === "-" || item === undefined) at = isLast ? now.length : -1;
      else if (item?.id !== undefined) at = now.findIndex((one) => one?.id === item.id);
      else at = Number(part) < now.length ? Number(part) : -1;
      if (at < 0) return null;
    } else if (!isLast && !(part in now)) return null;
    way.push(escaped(at));
    [old, now] = [old[part], now[at]];
  }
  return way.map((part) => `/${part}`).join("");
}

const isAlike = (one, other) => JSON.stringify(one) === JSON.stringify(other);

/**
 * Return an edit's operations as they fit a document that was changed meanwhile, or null if both changed the same value.
 * @param {object[]} patch operations that fit `before`
 * @param {object} before
 * @param {object} after
 * @param {boolean} [isWanted] also over what somebody else has changed, as long as it is there
 */
export function carriedOver(patch, before, after, isWanted = false) {
  const carried = [];
  for (const operation of patch) {
    const path = translated(operation.path, before, after);
    const from = operation.from === undefined ? undefined : translated(operation.from, before, after);
    if (path === null || from === null) return null;
    const source = operation.from ?? operation.path;
    const isPutIn = operation.op === "add" && Array.isArray(valueAt(before, parentOf(operation.path)));
    if (!isWanted && !isPutIn && !isAlike(valueAt(before, source), valueAt(after, from ?? path))) return null;
    carried.push(from === undefined ? { ...operation, path } : { ...operation, path, from });
  }
  return carried;
}

const parentOf = (pointer) => pointer.slice(0, pointer.lastIndexOf("/"));
