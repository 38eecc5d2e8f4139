// Finds commands, steps and other kinds by their words; with nothing typed, kinds are shown by what they do.

import { h, icon } from "../lib/dom.js";
import { rank } from "../lib/rank.js";
import { plainWords } from "../lib/words.js";

// More lines than these are not read: something is typed instead.
const MOST_LINES = 60;
// So many entries a page key leads on.
const PAGE = 8;

const SINGLE = new Set(["force", "clause", "finish", "look", "light"]);

/** A strip of pictures of what a kind does, the first one the most telling. */
function stripOf({ id, group }) {
  return new URL(`../../kinds/${SINGLE.has(group) ? `${group}-` : ""}${id}.webp`, import.meta.url).href;
}

/** Entries for kinds: found by name, group and what they do, or by looking. */
export function kindEntries(kinds, run) {
  return kinds.map((kind) => ({
    title: plainWords(kind.id),
    words: `${kind.words} ${kind.group}`,
    help: kind.summary,
    group: kind.group,
    strip: stripOf(kind),
    icon: kind.icon,
    run: () => run(kind),
  }));
}

export class Finder {
  constructor() {
    this.dialog = document.getElementById("finder");
    this.input = this.dialog.querySelector("input");
    this.list = this.dialog.querySelector("ul");
    this.input.addEventListener("input", () => this.show());
    this.dialog.addEventListener("keydown", (event) => this.onKey(event));
    this.dialog.addEventListener("click", (event) => event.target === this.dialog && this.dialog.close());
  }

  open(entries, placeholder) {
    this.entries = entries;
    this.input.placeholder = placeholder;
    this.input.value = "";
    this.at = 0;
    this.show();
    this.dialog.showModal();
    this.input.focus();
  }

  show() {
    const text = this.input.value;
    this.found = this.entries
      .map((entry) => ({ entry, score: rank(entry, text) }))
      .filter((one) => one.score >= 0)
      .sort((a, b) => a.score - b.score)
      .map((one) => one.entry);
    this.at = 0;
    this.paint();
  }

  /** Whether what there is is shown by pictures, by group. */
  get isGallery() {
    return !this.input.value.trim() && this.found.length > 0 && this.found.every((entry) => entry.strip);
  }

  paint() {
    const { isGallery } = this;
    const left = isGallery ? 0 : this.found.length - MOST_LINES;
    if (left > 0) this.found.length = MOST_LINES;
    this.dialog.classList.toggle("gallery", isGallery);
    this.list.replaceChildren(
      ...this.found.flatMap((entry, index) => [
        ...(isGallery && entry.group !== this.found[index - 1]?.group
          ? [h("li.found-group", { role: "presentation" }, entry.group)]
          : []),
        h(
          "li",
          {
            role: "option",
            id: `found-${index}`,
            "aria-selected": String(index === this.at),
            title: isGallery ? entry.help : null,
            onclick: () => this.run(entry),
          },
          ...(isGallery ? pictured(entry) : lined(entry)),
        ),
      ]),
    );
    if (left > 0) {
      const words = `and ${left} more: type some of what it is called`;
      this.list.append(h("li.none", { role: "option", "aria-disabled": "true" }, words));
    }
    if (!this.found.length)
      this.list.replaceChildren(h("li.none", { role: "option", "aria-disabled": "true" }, "Nothing is called that."));
    this.mark();
  }

  /** Show which one is chosen. */
  mark() {
    for (const option of this.list.querySelectorAll("[role=option]"))
      option.setAttribute("aria-selected", String(option.id === `found-${this.at}`));
    const chosen = document.getElementById(`found-${this.at}`);
    if (chosen) this.input.setAttribute("aria-activedescendant", chosen.id);
    else this.input.removeAttribute("aria-activedescendant");
    chosen?.scrollIntoView({ block: "nearest" });
  }

  /** The number of the entry that lies one step away; in a gallery up and down lead to the picture above or below. */
  beside(key) {
    const last = this.found.length - 1;
    const step = { ArrowLeft: -1, ArrowRight: 1, ArrowUp: -1, ArrowDown: 1, PageUp: -PAGE, PageDown: PAGE }[key];
    if (!this.isGallery || !(key === "ArrowUp" || key === "ArrowDown"))
      return Math.max(0, Math.min(last, this.at + step));
    const boxes = this.found.map((_, index) => document.getElementById(`found-${index}`).getBoundingClientRect());
    const here = boxes[this.at];
    const onwards = boxes
      .map((box, index) => ({ index, down: (box.top - here.top) * step, across: Math.abs(box.left - here.left) }))
      .filter(({ down }) => down > 1)
      .sort((a, b) => a.down - b.down || a.across - b.across);
    return onwards[0]?.index ?? this.at;
  }

  onKey(event) {
    event.stopPropagation();
    const across = event.key === "ArrowLeft" || event.key === "ArrowRight";
    if (["ArrowDown", "ArrowUp", "PageDown", "PageUp"].includes(event.key) || (across && this.isGallery)) {
      event.preventDefault();
      this.at = this.beside(event.key);
      this.mark();
    } else if (event.key === "Enter") {
      event.preventDefault();
      if (this.found[this.at]) this.run(this.found[this.at]);
    }
  }

  run(entry) {
    this.dialog.close();
    entry.run();
  }
}

/** What stands in a line: a picture or icon, what it is called, its keys or what it does. */
function lined(entry) {
  return [
    entry.image
      ? h("img.found-image", { src: entry.image, alt: "", loading: "lazy", width: 64, height: 40 })
      : icon(entry.icon ?? "right"),
    h("span.found-title", {}, entry.title),
    entry.keys ? h("kbd", {}, entry.keys) : h("span.found-help", {}, entry.help ?? ""),
  ];
}

/** A picture of what it does, which moves while it is pointed at or chosen, above what it is called. */
function pictured(entry) {
  return [
    h("span.strip", {}, h("img", { src: entry.strip, alt: "", loading: "lazy", width: 1536, height: 80 })),
    h("span.found-title", {}, entry.title),
  ];
}
