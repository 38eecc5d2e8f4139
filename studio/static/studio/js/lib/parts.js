// Where lines stand in a scene's document: the lists that hold them, and the families of kinds that they are of.

export const FAMILIES = {
  routine: "steps",
  forces: "forces",
  looks: "looks",
  clauses: "clauses",
  finish: "finishes",
  lights: "lights",
};

/** A line's pointer: its list, the list's name, and its number there. Lights are things, with names of their own. */
export const LINE = /^(.*\/(routine|forces|looks|clauses|finish))\/(\d+)$/;

/** The pointer of the line or thing that a value belongs to. */
export function ownerOf(pointer) {
  return pointer.split(/\/(?:settings|joining|place|own_time|cut)\//)[0];
}

/** Yield {list, family, items} of every list of lines in figures and fields. */
export function* listsOf(document) {
  for (const [i, figure] of document.figures.entries()) {
    yield { list: `/figures/${i}/routine`, family: "steps", items: figure.routine ?? [], thing: figure };
    for (const [k, step] of (figure.routine ?? []).entries())
      if (step.forces)
        yield { list: `/figures/${i}/routine/${k}/forces`, family: "forces", items: step.forces, thing: figure };
    yield { list: `/figures/${i}/looks`, family: "looks", items: figure.looks ?? [], thing: figure };
  }
  for (const [i, field] of (document.fields ?? []).entries())
    yield { list: `/fields/${i}/clauses`, family: "clauses", items: field.clauses ?? [], thing: field };
}
