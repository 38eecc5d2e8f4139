// What Delete and Duplicate act on: what has the focus, else what is chosen in the tab that is shown. A control that
// belongs to no line and no card, such as "+ step", is about nothing that could be removed.

const LINE =
  /^\/(?:(?:figures\/\d+\/(?:routine(?:\/\d+\/forces)?|looks)|fields\/\d+\/clauses)\/\d+|(?:finish|lights|guides|cameras)\/\d+)$/;
const NAMED = /^\/(?:lights|guides|cameras)\/\d+$/;
const TAB_OF = { figures: "figures", fields: "fields", finish: "finish" };

/**
 * Return what a command is about.
 * @param {Store} store
 * @param {Element|null} focused
 * @returns {{line: string}|{figures: number[]}|{field: number}|null} the pointer of a line, or numbers of things
 */
export function subjectOf(store, focused) {
  const line = focused?.closest(".line[data-pointer]")?.dataset.pointer;
  if (line) return { line };
  if (focused?.closest("#details")) return lineOf(store.state.open);
  const head = focused?.closest(".card-head");
  if (head) return thing(store, head.closest(".card").dataset);
  return focused?.closest("[role=tabpanel]") ? null : chosen(store);
}

/** The pointer of the thing with a name that a command is about, or null: of several figures the first. */
export function namedBy(store, subject) {
  if (subject?.figures) return `/figures/${subject.figures[0]}`;
  if (subject?.field !== undefined) return `/fields/${subject.field}`;
  return subject?.line && NAMED.test(subject.line) ? subject.line : null;
}

function lineOf(pointer) {
  return pointer && LINE.test(pointer) ? { line: pointer } : null;
}

function chosen(store) {
  const { open, selection, tab } = store.state;
  const opened = lineOf(open);
  if (opened && tabOf(opened.line) === tab) return opened;
  if (tab === "figures" && store.selectedFigures().length) return { figures: store.selectedFigures() };
  if (tab === "fields" && selection?.family === "fields") return thing(store, { field: selection.id });
  return null;
}

function tabOf(pointer) {
  return TAB_OF[pointer.split("/")[1]] ?? "space";
}

/** A card's figure, with the others if it is one of several that are selected; or its field. */
function thing(store, { figure, field }) {
  const at = (family, id) => store.document[family].findIndex((one) => one.id === id);
  if (field !== undefined) return at("fields", field) < 0 ? null : { field: at("fields", field) };
  const mine = at("figures", figure);
  const selected = store.selectedFigures();
  return mine < 0 ? null : { figures: selected.includes(mine) ? selected : [mine] };
}
