// The figures: a card each, its routine and looks as sentences.

import { h, icon, lay, refill, typingEnded } from "../lib/dom.js";
import { addLine, freeId, line } from "./lines.js";
import { kindEntries } from "./finder.js";
import { stretchesOf } from "../lib/ids.js";
import { groupedBy, isAlike } from "../lib/lists.js";
import { showNumber } from "../lib/numbers.js";
import { noteCount, noteLines } from "./notes.js";
import { releaseOperations, renameOperations } from "./references.js";
import { allNames, freeName } from "./names.js";
import { onlyWords } from "./only-where.js";
import { isUnfolded, phraseEntries, phraseLine, putPhrase } from "./phrases.js";
import { plainWords } from "../lib/words.js";

const VISIBLE = ["shown", "view only", "render only", "hidden"];

export class Figures {
  constructor(store, element, finder, phrases) {
    this.store = store;
    this.element = element;
    this.finder = finder;
    this.phrases = phrases;
    // The cards by their figures, and what those that stand closed say: of many figures nearly all are as they were.
    this.known = new Map();
    store.on(
      "document selection also open unfolded notes gesture-end lanes",
      () => store.gesture || store.state.playing || this.show(),
    );
    this.show();
  }

  show() {
    refill(
      this.element,
      () =>
        this.store.document.figures.length
          ? this.list()
          : h("p.empty", {}, "Nothing is here yet. Add a figure: it begins with a form, and each step changes it."),
      h(
        "button.add",
        { type: "button", "data-focus": "add figure", onclick: () => this.addFigure() },
        icon("plus"),
        "figure",
      ),
    );
  }

  /** The list of all figures; of many only those are made anew that are another. */
  list() {
    this.cardList ??= h("ul.cards");
    lay(this.cardList, this.cards());
    return this.cardList;
  }

  cards() {
    const { store } = this;
    const { figures } = store.document;
    this.faceCounts = facesOf(store.drawnHeader);
    this.notes = groupedBy(store.state.notes, (note) => note.name);
    const ids = new Set(figures.map(({ id }) => id));
    for (const id of this.known.keys()) if (!ids.has(id)) this.known.delete(id);
    return figures.map((figure, index) =>
      store.openFigure === figure.id ? this.openCard(figure, index) : this.closedCard(figure, index),
    );
  }

  /** The card of a figure, always the same one: that a list has another member is dear where it has many. */
  cardOf(figure, says, className, content) {
    const card = this.known.get(figure.id)?.card ?? h("li", { "data-figure": figure.id });
    this.known.set(figure.id, { card, says });
    card.className = className;
    lay(card, content.flat(3).filter(Boolean));
    return card;
  }

  /** What stands at the head of a card, with what ends it. */
  head(figure, index, isOpen, end) {
    const { store } = this;
    return h(
      "div.card-head",
      {},
      swatch(figure),
      cardName(store, `/figures/${index}`, figure.name, isOpen, (event) =>
        store.select("figures", figure.id, { adds: event.ctrlKey || event.metaKey || event.shiftKey }),
      ),
      noteCount(this.notes.get(figure.name) ?? []),
      figure.visible && figure.visible !== "shown" ? h("span.quiet-word", {}, figure.visible) : null,
      end,
    );
  }

  /** The card of a figure that is not open: the same one as long as it says the same. */
  closedCard(figure, index) {
    const isAlso = this.store.state.also.has(figure.id);
    const faces = this.faceCounts.get(figure.id) ?? 0;
    const notes = (this.notes.get(figure.name) ?? []).map((note) => note.message).join("\n");
    const says = [figure, index, isAlso, faces, notes];
    const kept = this.known.get(figure.id);
    if (kept?.says && isAlike(kept.says, says)) return kept.card;
    const count = faces ? h("span.quiet-word.mono", {}, `${faces.toLocaleString("en")} faces`) : null;
    const head = this.head(figure, index, false, count);
    return this.cardOf(figure, says, isAlso ? "card also" : "card", [head]);
  }

  openCard(figure, index) {
    const { store } = this;
    const base = `/figures/${index}`;
    const notes = this.notes.get(figure.name) ?? [];
    const more = h(
      "button.plain",
      {
        type: "button",
        "aria-label": `More about ${figure.name}`,
        title: "Rename, duplicate, hide, remove",
        "data-focus": `${base} more`,
        onclick: () => this.more(figure, index),
      },
      icon("menu"),
    );
    const head = this.head(figure, index, true, more);
    const only = (item, pointer) => onlyWords(store, this.finder, item, pointer);
    const lines = stretchesOf(figure.routine ?? []).map((stretch) => this.stretch(figure, index, stretch, only));
    const looks = (figure.looks ?? []).map((look, k) =>
      line(store, store.kinds.looks[look.kind], `${base}/looks`, k, { under: only(look, `${base}/looks/${k}`) }),
    );
    const placePointer = base;
    return this.cardOf(figure, null, "card selected", [
      head,
      h("ul.lines", {}, lines),
      h(
        "button.add",
        { type: "button", "data-focus": `${base} add`, onclick: () => this.addStep(index) },
        icon("plus"),
        "step",
      ),
      h(
        "div.looks",
        {},
        h("span.looks-title", {}, "Drawn as"),
        h("ul.lines", {}, looks),
        h(
          "button.add",
          { type: "button", "data-focus": `${base} look`, onclick: () => this.addLook(index) },
          icon("plus"),
          "look",
        ),
      ),
      h(
        "button.add.place",
        {
          type: "button",
          "aria-expanded": String(store.state.open === placePointer),
          "data-focus": `${base} place`,
          onclick: () => store.set({ open: store.state.open === placePointer ? null : placePointer }),
        },
        icon("move"),
        placeWords(figure.place, store) + cutWords(figure.cut, store),
      ),
      noteLines(store, notes),
    ]);
  }

  /** The lines of steps that follow each other; those of a phrase stand under its own, once that is opened. */
  stretch(figure, index, stretch, only) {
    const { store } = this;
    const list = `/figures/${index}/routine`;
    const isPhrase = (figure.phrases ?? []).some((one) => one.id === stretch.id);
    const lines = () =>
      figure.routine.slice(stretch.first, stretch.first + stretch.count).map((step, k) => {
        const pointer = `${list}/${stretch.first + k}`;
        const kind = store.kinds.steps[step.kind];
        return [
          line(store, kind, list, stretch.first + k, { under: only(step, pointer) }),
          kind.takes_forces && this.forces(step, `${pointer}/forces`, only),
        ];
      });
    if (!isPhrase) return lines();
    return [
      phraseLine(store, index, stretch, this.phrases),
      isUnfolded(store, index, stretch) && h("li.phrase-steps", {}, h("ul.lines", {}, lines())),
    ];
  }

  /** The lines under a step that say what moves it. */
  forces(step, list, only) {
    const { store } = this;
    const { forces } = store.kinds;
    const lines = (step.forces ?? []).map((force, k) =>
      line(store, forces[force.kind], list, k, { under: only(force, `${list}/${k}`) }),
    );
    const add = () =>
      this.finder.open(
        kindEntries(store.catalogue.forces, (kind) => addLine(store, list, kind)),
        "Add a force: gust, pull, gravity…",
      );
    return h(
      "li.forces",
      { "data-forces": list },
      h("ul.lines", {}, lines),
      h("button.add", { type: "button", "data-focus": `${list} add`, onclick: add }, icon("plus"), "force"),
    );
  }

  addFigure() {
    const forms = this.store.catalogue.steps.filter((kind) => kind.group === "form");
    this.finder.open(
      [
        ...kindEntries(forms, (kind) => this.beginWith(kind)),
        ...phraseEntries(this.store, true, (phrase) => putPhrase(this.store, phrase)),
      ],
      "Begin a figure with…",
    );
  }

  /** Add a figure that begins with a form, and select it. */
  beginWith(kind) {
    const { store } = this;
    const figures = store.document.figures;
    const name = freeName(store.document, kind.id[0].toUpperCase() + plainWords(kind.id.slice(1)));
    const id = freeId(figures, kind.id);
    store.edit([
      {
        op: "add",
        path: `/figures/${figures.length}`,
        value: {
          id,
          name,
          routine: [{ id: "form", kind: kind.id, settings: {} }],
          looks: [{ id: "surface", kind: "surface", settings: {} }],
        },
      },
    ]);
    store.select("figures", id);
  }

  addStep(index) {
    const routine = this.store.document.figures[index].routine ?? [];
    const kinds = this.store.catalogue.steps.filter((kind) => (kind.group === "form") === !routine.length);
    const open = this.store.state.open?.match(new RegExp(`^/figures/${index}/routine/(\\d+)$`));
    const at = open ? Number(open[1]) + 1 : undefined;
    const phrases = routine.length
      ? phraseEntries(this.store, false, (phrase) => putPhrase(this.store, phrase, index, at))
      : [];
    this.finder.open(
      [...kindEntries(kinds, (kind) => addLine(this.store, `/figures/${index}/routine`, kind, at)), ...phrases],
      "Add a step: grid, twist, noise…",
    );
  }

  addLook(index) {
    this.finder.open(
      kindEntries(this.store.catalogue.looks, (kind) => addLine(this.store, `/figures/${index}/looks`, kind)),
      "Draw it also as…",
    );
  }

  more(figure, index) {
    const { store } = this;
    const base = `/figures/${index}`;
    const entries = [
      {
        title: "Rename",
        icon: "pencil",
        run: () =>
          rename(
            store,
            this.element.querySelector(`[data-figure="${figure.id}"] .card-name`),
            `${base}/name`,
            figure.name,
          ),
      },
      { title: "Duplicate", icon: "copy", keys: "Ctrl D", run: () => duplicateFigures(store, [index]) },
      { title: "Keep as a phrase…", icon: "phrase", run: () => this.phrases.keep(index) },
      ...VISIBLE.map((visible) => ({
        title: `Make it ${visible}`,
        icon: visible === "hidden" ? "eye-off" : "eye",
        run: () => store.setValue(`${base}/visible`, visible),
      })),
      {
        title: "Move up",
        icon: "up",
        run: () => index && store.edit([{ op: "move", from: base, path: `/figures/${index - 1}` }]),
      },
      {
        title: "Move down",
        icon: "down",
        run: () =>
          index < store.document.figures.length - 1 &&
          store.edit([{ op: "move", from: base, path: `/figures/${index + 1}` }]),
      },
      { title: "Remove", icon: "trash", keys: "Del", run: () => removeFigures(store, [index]) },
    ];
    this.finder.open(entries, figure.name);
  }
}

/** Copy figures; the copies are selected. */
export function duplicateFigures(store, indices) {
  const names = new Set(allNames(store.document));
  const made = [];
  for (const index of [...indices].sort((a, b) => a - b)) {
    const figure = structuredClone(store.document.figures[index]);
    figure.id = freeId([...store.document.figures, ...made], figure.id.replace(/-\d+$/, ""));
    const base = figure.name.replace(/ \d+$/, "");
    for (let n = 2; names.has(figure.name); n += 1) figure.name = `${base} ${n}`;
    names.add(figure.name);
    made.push(figure);
  }
  const at = Math.max(...indices) + 1;
  store.edit(made.map((figure, k) => ({ op: "add", path: `/figures/${at + k}`, value: figure })));
  store.select("figures", made[0].id);
  store.set({ also: new Set(made.slice(1).map((figure) => figure.id)) });
}

/** Remove figures, and what refers to them. */
export function removeFigures(store, indices) {
  const before = store.chosenNow();
  const ids = indices.map((index) => store.document.figures[index].id);
  store.set({ open: null, selection: null, also: new Set(), grip: null });
  const released = ids.flatMap((id) => releaseOperations(store, "figures", id));
  store.edit(
    [...released, ...[...indices].sort((a, b) => b - a).map((index) => ({ op: "remove", path: `/figures/${index}` }))],
    { before },
  );
}

/** The name of a card: a press selects what it names, a double press renames it. */
export function cardName(store, base, name, isSelected, select) {
  return h(
    "button.card-name",
    {
      type: "button",
      "aria-expanded": String(isSelected),
      "data-focus": `${base} name`,
      "data-names": base,
      onclick: (event) => (event.detail > 1 ? rename(store, event.currentTarget, `${base}/name`, name) : select(event)),
    },
    name,
  );
}

/** Type another name in place. */
export function rename(store, element, pointer, name) {
  const input = h("input.typed.wide", { value: name, "aria-label": "Name" });
  element.replaceWith(input);
  input.focus();
  input.select();
  let over = false;
  const finish = (save, isKey = true) => {
    if (over) return;
    over = true;
    input.replaceWith(element);
    // Who renames by the keyboard goes on from there.
    if (isKey) (element.matches("button") ? element : element.closest(".line")?.querySelector(".line-open"))?.focus();
    typingEnded();
    if (save && input.value.trim() && input.value !== name)
      store.edit(renameOperations(store, pointer, name, input.value.trim()));
  };
  input.addEventListener("keydown", (event) => {
    event.stopPropagation();
    if (event.key === "Enter") finish(true);
    if (event.key === "Escape") finish(false);
  });
  input.addEventListener("blur", () => finish(true, false));
}

/** How many faces each figure shows in a frame. */
function facesOf(header) {
  const counts = new Map();
  for (const { figure, faceCount, count } of header?.drawables ?? [])
    counts.set(figure, (counts.get(figure) ?? 0) + faceCount * count);
  return counts;
}

function swatch(figure) {
  const tint = figure.routine?.find((step) => step.kind === "tint")?.settings?.gradient;
  const colour = figure.looks?.find((look) => typeof look.settings?.colour === "string")?.settings.colour ?? "#f4ead7";
  const element = h("span.swatch", { "aria-hidden": "true" });
  if (tint) element.style.backgroundImage = `linear-gradient(120deg, ${tint.map((stop) => stop.colour).join(", ")})`;
  else element.style.backgroundColor = colour;
  return element;
}

/** Where in the picture a figure is seen, unless that is everywhere. */
function cutWords(cut, store) {
  const mask = store.document.figures.find((figure) => figure.id === cut?.mask);
  return mask && (cut.seen ?? "everywhere") !== "everywhere" ? `, seen ${cut.seen} ${mask.name}` : "";
}

export function placeWords(place, store) {
  const words = [];
  const at = place?.position;
  if (at && at.some((value) => value !== 0))
    words.push(`at ${at.map((value) => (typeof value === "number" ? value : "moving")).join(", ")}`);
  if (place?.rotation?.some((value) => value !== 0)) words.push("turned");
  if (place?.scale?.some((value) => value !== 1)) words.push("scaled");
  if (place?.follows) {
    const name =
      [...(store.document.guides ?? []), ...store.document.figures].find((thing) => thing.id === place.follows)?.name ??
      "something";
    const late = place.lag ? `, ${showNumber(place.lag)} frames behind` : "";
    words.push(`follows ${place.rides === "its curve" ? `the curve of ${name}` : name}${late}`);
  }
  return words.length ? `Placed ${words.join(", ")}` : "Placed at the middle";
}
