// JSON Patch on plain data: the few operations that the page and the server exchange (RFC 6902).

/** Split a JSON Pointer into its parts. */
export function pointerParts(pointer) {
  return pointer
    .split("/")
    .slice(1)
    .map((part) => part.replaceAll("~1", "/").replaceAll("~0", "~"));
}

/** Return what a pointer names, or undefined. */
export function valueAt(document, pointer) {
  return pointerParts(pointer).reduce((value, part) => (value == null ? undefined : value[part]), document);
}

function cloned(value) {
  return value === undefined ? undefined : structuredClone(value);
}

/** Return a copy of a document in which one container is changed, copied like all around it; the rest is shared. */
function changedAt(document, parts, change) {
  if (document === null || typeof document !== "object") throw new TypeError("a patch leads to what is not there");
  const copy = Array.isArray(document) ? [...document] : { ...document };
  if (parts.length === 1) change(copy, parts[0]);
  else copy[parts[0]] = changedAt(copy[parts[0]], parts.slice(1), change);
  return copy;
}

function put(container, name, value) {
  if (Array.isArray(container)) container.splice(name === "-" ? container.length : Number(name), 0, value);
  else container[name] = value;
}

function take(container, name) {
  if (Array.isArray(container)) container.splice(Number(name), 1);
  else delete container[name];
}

function applyOne(document, { op, path, from, value }) {
  const parts = pointerParts(path);
  if (!parts.length) return cloned(value);
  if (op === "add") return changedAt(document, parts, (parent, name) => put(parent, name, cloned(value)));
  if (op === "replace") return changedAt(document, parts, (parent, name) => (parent[name] = cloned(value)));
  if (op === "remove") return changedAt(document, parts, take);
  if (op !== "move" && op !== "copy") return document;
  const moved = valueAt(document, from);
  const left = op === "move" ? changedAt(document, pointerParts(from), take) : document;
  return changedAt(left, parts, (parent, name) => put(parent, name, op === "copy" ? cloned(moved) : moved));
}

/** Return a changed copy of a document; the document itself stays as it is, and what is not changed is in both. */
export function applyPatch(document, patch) {
  return patch.reduce(applyOne, document);
}

/** Return the operations that set a value, whether or not it, or the objects around it, are there yet. */
export function setOperations(document, pointer, value) {
  const made = [];
  const parts = pointer.split("/");
  for (let k = 2; k < parts.length; k += 1) {
    const parent = parts.slice(0, k).join("/");
    if (valueAt(document, parent) === undefined) made.push({ op: "add", path: parent, value: {} });
  }
  made.push({ op: valueAt(document, pointer) === undefined ? "add" : "replace", path: pointer, value });
  return made;
}
