// The names of things: none is given twice.

/** The names of all that a scene has. */
export function allNames(document) {
  return ["figures", "fields", "guides", "lights", "cameras"].flatMap((family) =>
    (document[family] ?? []).map((thing) => thing.name),
  );
}

/** A name that nothing in a scene has yet: the wanted one, or that with a number. */
export function freeName(document, wanted) {
  const names = new Set(allNames(document));
  let name = wanted;
  for (let n = 2; names.has(name); n += 1) name = `${wanted} ${n}`;
  return name;
}
