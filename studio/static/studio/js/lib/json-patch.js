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

function applyOne(document, operation) {
  const parts = pointerParts(operation.path);
  if (!parts.length) return cloned(operation.value);
  const last = parts.pop();
  const parent = parts.reduce((value, part) => value[part], document);
  const add = (value) => {
    if (Array.isArray(parent)) parent.splice(last === "-" ? parent.length : Number(last), 0, value);
    else parent[last] = value;
  };
  const remove = () => {
    if (Array.isArray(parent)) return parent.splice(Number(last), 1)[0];
    const value = parent[last];
    delete parent[last];
    return value;
  };
  if (operation.op === "add") add(cloned(operation.value));
  else if (operation.op === "replace") parent[last] = cloned(operation.value);
  else if (operation.op === "remove") remove();
  else if (operation.op === "move" || operation.op === "copy") {
    const value = cloned(valueAt(document, operation.from));
    if (operation.op === "move") applyOne(document, { op: "remove", path: operation.from });
    return applyOne(document, { op: "add", path: operation.path, value });
  }
  return document;
}

/** Return a changed copy of a document; the document itself stays as it is. */
export function applyPatch(document, patch) {
  return patch.reduce(applyOne, structuredClone(document));
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
