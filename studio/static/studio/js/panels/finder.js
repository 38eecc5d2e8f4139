// Finds commands, steps and other kinds by their words.

import { h, icon } from "../lib/dom.js";

/** Rank an entry against the words typed: all must occur, earlier is better. */
export function rank(entry, text) {
  const hay = `${entry.title} ${entry.words ?? ""}`.toLowerCase();
  let score = 0;
  for (const word of text.toLowerCase().split(/\s+/).filter(Boolean)) {
    const at = hay.indexOf(word);
    if (at < 0) return -1;
    score += at === 0 ? 0 : hay[at - 1] === " " ? 1 + at / 100 : 5 + at / 100;
  }
  return score;
}

/** Entries for kinds: found by name, group and what they do. */
export function kindEntries(kinds, run) {
  return kinds.map((kind) => ({
    title: kind.id.replaceAll("_", " "),
    words: `${kind.group} ${kind.summary}`,
    help: kind.summary,
    group: kind.group,
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

  paint() {
    this.list.replaceChildren(
      ...this.found.map((entry, index) =>
        h(
          "li",
          {
            role: "option",
            id: `found-${index}`,
            "aria-selected": String(index === this.at),
            onclick: () => this.run(entry),
          },
          entry.image
            ? h("img.found-image", { src: entry.image, alt: "", loading: "lazy", width: 64, height: 40 })
            : icon(entry.icon ?? "right"),
          h("span.found-title", {}, entry.title),
          entry.keys ? h("kbd", {}, entry.keys) : h("span.found-help", {}, entry.help ?? ""),
        ),
      ),
    );
    if (!this.found.length) this.list.replaceChildren(h("li.none", {}, "Nothing is called that."));
    this.input.setAttribute("aria-activedescendant", `found-${this.at}`);
    this.list.children[this.at]?.scrollIntoView({ block: "nearest" });
  }

  onKey(event) {
    event.stopPropagation();
    if (event.key === "ArrowDown" || event.key === "ArrowUp") {
      event.preventDefault();
      this.at = Math.max(0, Math.min(this.found.length - 1, this.at + (event.key === "ArrowDown" ? 1 : -1)));
      this.paint();
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
