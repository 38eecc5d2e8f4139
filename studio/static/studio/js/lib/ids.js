// Addresses: pointers into a document that name the items of lists by their ids, so that they survive reordering.

/** Return the pointer of an address in a document, or null if it leads nowhere; what is not written yet has one too. */
export function pointerOf(document, address) {
  let container = document;
  const parts = [];
  for (let part of address.replace(/^\//, "").split("/")) {
    if (Array.isArray(container) && container.some((item) => item?.id !== undefined)) {
      const number = container.findIndex((item) => item?.id === part);
      if (number < 0) return null;
      part = String(number);
    }
    parts.push(part);
    container = container?.[part];
  }
  return `/${parts.join("/")}`;
}

/** Return the address of a pointer in a document. */
export function addressOf(document, pointer) {
  let container = document;
  const parts = [];
  for (const part of pointer.slice(1).split("/")) {
    const item = container?.[part];
    parts.push(Array.isArray(container) && item?.id !== undefined ? item.id : part);
    container = item;
  }
  return `/${parts.join("/")}`;
}

/** Return {first, count, id} of each stretch of steps that belong to one phrase; id is null for those of none. */
export function stretchesOf(routine) {
  const found = [];
  for (const [k, step] of routine.entries()) {
    const id = step.phrase ?? null;
    const last = found.at(-1);
    if (last && last.id === id && id !== null) last.count += 1;
    else found.push({ first: k, count: 1, id });
  }
  return found;
}
