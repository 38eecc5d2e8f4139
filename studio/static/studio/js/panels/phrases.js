// Phrases: steps that stand as one line with the values their maker chose; kept, put into scenes, taken apart.

import { ApiError, postJson } from "../api.js";
import { say } from "./clipboard.js";
import { h, icon } from "../lib/dom.js";
import { addressOf, pointerOf } from "../lib/ids.js";
import { ownerOf } from "../lib/parts.js";
import { plainWords } from "../lib/words.js";
import { inlineValue, wholeVector } from "./sentence.js";
import { endWithKey } from "./line-key.js";
import { listenOrder } from "./lines.js";
import { numberValue } from "../controls/value.js";

const NUMBERS = ["number", "integer"];
// Settings that can stand in a phrase's line.
const SHOWABLE = [...NUMBERS, "vector", "colour", "choice", "switch", "gradient", "curve", "text", "asset"];
// Of those, the ones that are changed in the settings of their step: a press on them leads there.
const SET_THERE = ["gradient", "curve", "text", "asset"];
const AXES = ["x", "y", "z"];
const MOST_SHOWN = 12;
const MOST_TRIES = 3;

/** Entries for the finder, one for each phrase; `isWhole` says whether figures or steps are wanted, or both if null. */
export function phraseEntries(store, isWhole, run) {
  return store.phrases
    .filter((phrase) => isWhole === null || phrase.whole === isWhole)
    .map((phrase) => ({
      title: phrase.name,
      words: `phrase ${phrase.says}`,
      help: phrase.says,
      group: phrase.whole ? "phrases" : "phrases of steps",
      strip: phrase.strip,
      icon: "phrase",
      run: () => run(phrase),
    }));
}

/** Put a phrase into the scene: a figure, or steps into the figure of that number, after so many of its own. */
export async function putPhrase(store, phrase, figure = -1, at = null) {
  const where = phrase.whole ? {} : { figure: store.document.figures[figure]?.id ?? null, at };
  try {
    const answer = await placing(store, phrase, where);
    store.edit(answer.patch);
    store.select("figures", answer.figure);
    document.querySelector(`[data-phrase="${answer.figure} ${answer.phrase}"] [role=spinbutton]`)?.focus();
    say(`${phrase.name} put in`);
  } catch (error) {
    if (!(error instanceof ApiError)) throw error;
    store.set({ problem: error.message });
  }
}

/** Ask for the patch that puts a phrase into the scene as it is here; again if it was changed meanwhile, here or elsewhere. */
async function placing(store, phrase, where, tries = MOST_TRIES) {
  await store.send();
  const { revision } = store.state;
  try {
    const answer = await postJson(`/scenes/${store.sceneId}/phrases/${phrase.id}/place`, { ...where, revision });
    if (!store.hasUnsaved || !tries) return answer;
  } catch (error) {
    if (error.status !== 409 || !tries) throw error;
    store.meet(error.answer);
  }
  return placing(store, phrase, where, tries - 1);
}

/** The line of a phrase: its name and the values it shows; a press opens it to its steps. */
export function phraseLine(store, figureIndex, stretch, phrases) {
  const base = `/figures/${figureIndex}`;
  const figure = store.document.figures[figureIndex];
  const record = (figure.phrases ?? []).find((one) => one.id === stretch.id);
  const key = `${figure.id} ${stretch.id}`;
  const isOpen = isUnfolded(store, figureIndex, stretch);
  const list = `${base}/routine`;
  const words = h(
    "div.line-words",
    {
      onclick: (event) => event.target.closest(".value, .typed, button") || fold(store, key, isOpen, stretch, list),
    },
    h("strong", {}, record.name),
    (record.shows ?? []).map((shown, k) => [k ? ", " : ": ", shownValue(store, figureIndex, shown)]),
  );
  endWithKey(store, words);
  const element = h(
    `li.line.phrase${isOpen ? ".unfolded" : ""}`,
    { "data-phrase": key, "data-first": String(stretch.first), "data-count": String(stretch.count) },
    h(
      "button.line-icon",
      {
        type: "button",
        "aria-label": `${isOpen ? "Fold" : "Open"} ${record.name}`,
        "aria-expanded": String(isOpen),
        title: isOpen ? "Fold into one line" : "Open into its steps",
        "data-focus": `${list}/${stretch.first} phrase`,
        onclick: () => fold(store, key, isOpen, stretch, list),
      },
      icon("phrase"),
    ),
    words,
    h(
      "button.line-open",
      {
        type: "button",
        "aria-label": `About the phrase ${record.name}`,
        title: "What it shows; keep it, take it apart",
        "data-focus": `${list}/${stretch.first} about phrase`,
        onclick: () => phrases.edit(figureIndex, stretch),
      },
      icon("sliders"),
    ),
  );
  listenOrder(store, element, list);
  return element;
}

/** Whether the steps of a phrase are to be seen: it was opened, or one of them is. */
export function isUnfolded(store, figureIndex, stretch) {
  const figure = store.document.figures[figureIndex];
  return (
    store.state.unfolded.has(`${figure.id} ${stretch.id}`) ||
    isOpenIn(store, `/figures/${figureIndex}/routine`, stretch)
  );
}

/** Whether one of some steps, or a force under one, is open. */
function isOpenIn(store, list, { first, count }) {
  const open = store.state.open?.startsWith(`${list}/`) ? parseInt(store.state.open.slice(list.length + 1), 10) : -1;
  return open >= first && open < first + count;
}

function fold(store, key, isOpen, stretch, list) {
  const unfolded = new Set(store.state.unfolded);
  if (isOpen) unfolded.delete(key);
  else unfolded.add(key);
  store.set(isOpen && isOpenIn(store, list, stretch) ? { unfolded, open: null } : { unfolded });
}

/** What a phrase calls a value, and the value itself; of one whose step is gone it says so. */
function shownValue(store, figureIndex, { value, words, range }) {
  const pointer = shownPointer(store, figureIndex, value);
  const setting = pointer && store.declared(pointer);
  if (!setting) return h("span.quiet", {}, `${words} is gone`);
  const soft = range ?? setting.soft;
  const at = pointer.lastIndexOf("/");
  const isPart = setting.wholeAt && setting.wholeAt !== pointer;
  const control =
    isPart || NUMBERS.includes(setting.sort)
      ? numberValue(
          isPart
            ? wholeVector(store, setting.wholeAt, { name: setting.name, default: setting.whole, sort: "vector" })
            : store,
          pointer,
          { ...setting, soft },
          words,
          setting.default,
        )
      : inlineValue(store, pointer.slice(0, at), setting);
  if (!SET_THERE.includes(setting.sort)) return h("span.shown-value", {}, `${words} `, control);
  const open = () => store.set({ open: ownerOf(pointer) });
  return h(
    "span.shown-value",
    {},
    `${words} `,
    h(
      "button.plain.leads-there",
      { type: "button", "aria-label": `${words}: its settings`, "data-focus": `shown ${pointer}`, onclick: open },
      control,
    ),
  );
}

const shownPointer = (store, figureIndex, address) =>
  address.startsWith("/")
    ? pointerOf(store.document, address)
    : pointerOf(store.document, `/figures/${store.document.figures[figureIndex].id}/${address}`);

export class Phrases {
  constructor(store, dialog) {
    this.store = store;
    this.dialog = dialog;
    this.form = dialog.querySelector("form");
    this.form.addEventListener("submit", (event) => {
      event.preventDefault();
      this.act();
    });
  }

  /** Ask how a figure, or the steps from one of its on, are to be kept. */
  keep(figureIndex, first = 0) {
    const figure = this.store.document.figures[figureIndex];
    if (!figure?.routine?.length) {
      this.store.set({
        problem: "Select a figure with steps first: it is kept as a phrase, or some of its steps are.",
      });
      return;
    }
    const last = figure.routine.length - 1;
    this.open({ figureIndex, first, last, name: figure.name, says: "", shows: [], isNew: true });
  }

  /** Show what a phrase in the scene is called and shows. */
  edit(figureIndex, { id, first, count }) {
    const record = this.store.document.figures[figureIndex].phrases.find((one) => one.id === id);
    const shows = structuredClone(record.shows ?? []);
    this.open({ figureIndex, first, last: first + count - 1, name: record.name, says: "", shows, id, isNew: false });
  }

  open(about) {
    this.about = about;
    this.shown = new Map(about.shows.map((shown) => [shown.value, shown]));
    this.show();
    this.dialog.showModal();
    this.form.querySelector("[name=name]").select();
  }

  get figure() {
    return this.store.document.figures[this.about.figureIndex];
  }

  /** Whether the figure as a whole is kept: all its steps, with its looks and its place. */
  get isWhole() {
    return this.about.first === 0;
  }

  show() {
    const { about, form } = this;
    const { name = about.name, says = about.says } = this.typed ?? {};
    // At once, also while a box is pressed: nothing of it is held down that would be lost.
    form.querySelector(".phrase-form").replaceChildren(
      ...[
        labelled("Name", { name: "name", value: name, maxLength: 80, required: true }),
        about.isNew &&
          labelled("In a sentence", {
            name: "says",
            value: says,
            maxLength: 200,
            placeholder: "what it does, to be found by",
          }),
        about.isNew && this.stretchChoice(),
        h("p.quiet", {}, "Tick the values that stand in its line, and call them what you like:"),
        h(
          "ul.phrase-values",
          {},
          this.candidates().map((one) => this.valueRow(one)),
        ),
      ].filter(Boolean),
    );
    form.querySelector(".problem").textContent = "";
    form
      .querySelector("footer")
      .replaceChildren(
        ...(about.isNew
          ? []
          : [
              h("button.btn.quiet", { type: "button", onclick: () => this.takeApart() }, "Take apart"),
              h("button.btn.quiet", { type: "button", onclick: () => this.keepAsNew() }, "Keep as a phrase…"),
            ]),
        h("span.spring"),
        h("button.btn.strong", { type: "submit" }, about.isNew ? "Keep" : "Change"),
      );
  }

  /** From which step to which. */
  stretchChoice() {
    const { routine } = this.figure;
    const title = (step, k) => `${k + 1} ${plainWords(step.kind)}`;
    const choose = (name, from, chosen) =>
      h(
        "select.form-select.form-select-sm",
        {
          name,
          "aria-label": name === "first" ? "From step" : "To step",
          onchange: (event) => this.restretch(name, Number(event.target.value)),
        },
        routine.map((step, k) => h("option", { value: k, selected: k === chosen, disabled: k < from }, title(step, k))),
      );
    return h(
      "div.phrase-stretch",
      {},
      h("span", {}, "Steps from"),
      choose("first", 0, this.about.first),
      h("span", {}, "to"),
      choose("last", this.about.first, this.isWhole ? routine.length - 1 : this.about.last),
      h("span.quiet", {}, this.isWhole ? "the whole figure, with its looks" : "to be put under other forms"),
    );
  }

  restretch(name, k) {
    const { about } = this;
    this.typed = Object.fromEntries(new FormData(this.form));
    about[name] = k;
    // With its form it is the whole figure.
    if (about.first === 0) about.last = this.figure.routine.length - 1;
    about.last = Math.max(about.last, about.first);
    const known = new Set(this.candidates().map((one) => one.value));
    for (const value of this.shown.keys()) if (!known.has(value)) this.shown.delete(value);
    this.show();
    this.typed = null;
  }

  /** Return {value, words, setting, of} of every value that may be shown: what lines tell, and what was set. */
  candidates() {
    const { store, about, figure } = this;
    const found = [];
    const base = `/figures/${about.figureIndex}`;
    const fields = new Set();
    const addLine = (item, family, pointer) => {
      const kind = store.kinds[family][item.kind];
      const title = plainWords(item.kind);
      for (const setting of kind.settings) {
        if (!SHOWABLE.includes(setting.sort)) continue;
        const isTold = kind.sentence.includes(`{${setting.name}}`);
        if (!isTold && item.settings?.[setting.name] === undefined) continue;
        const address = this.addressed(`${pointer}/settings/${setting.name}`, base);
        const words = plainWords(setting.name);
        const parts = setting.sort === "vector" ? AXES : [null];
        for (const [k, axis] of parts.entries())
          found.push({
            value: axis ? `${address}/${k}` : address,
            words: axis ? `${words} ${axis}` : words,
            of: title,
            setting,
          });
      }
      if (item.only_where) fields.add(item.only_where);
    };
    for (let k = about.first; k <= about.last; k += 1) {
      const step = figure.routine[k];
      addLine(step, "steps", `${base}/routine/${k}`);
      for (const [n, force] of (step.forces ?? []).entries())
        addLine(force, "forces", `${base}/routine/${k}/forces/${n}`);
    }
    if (this.isWhole)
      for (const [k, look] of (figure.looks ?? []).entries()) addLine(look, "looks", `${base}/looks/${k}`);
    for (const id of fields) {
      const index = (store.document.fields ?? []).findIndex((field) => field.id === id);
      for (const [k, clause] of (store.document.fields[index]?.clauses ?? []).entries())
        addLine(clause, "clauses", `/fields/${index}/clauses/${k}`);
    }
    // What is shown already, wherever it is.
    for (const { value, words } of this.shown.values())
      if (!found.some((one) => one.value === value)) found.push({ value, words, of: "", setting: {} });
    return found;
  }

  /** The address of a pointer: within the figure, or from the scene's top. */
  addressed(pointer, base) {
    const address = addressOf(this.store.document, pointer);
    const own = addressOf(this.store.document, base);
    return address.startsWith(`${own}/`) ? address.slice(own.length + 1) : address;
  }

  valueRow({ value, words, of, setting }) {
    const shown = this.shown.get(value);
    const isNumber = NUMBERS.includes(setting.sort) || setting.sort === "vector" || shown?.range;
    const change = (name, next) => this.shown.set(value, { ...this.shown.get(value), [name]: next });
    const limit = (k) =>
      h("input.form-control.form-control-sm.mono", {
        type: "number",
        step: "any",
        value: shown.range?.[k] ?? "",
        "aria-label": `${k ? "Most" : "Least"} of ${shown.words}`,
        oninput: (event) => {
          const range = [...(this.shown.get(value).range ?? [0, 1])];
          range[k] = event.target.valueAsNumber;
          change("range", range);
        },
      });
    const tick = h("input.form-check-input", {
      type: "checkbox",
      checked: Boolean(shown),
      disabled: !shown && this.shown.size >= MOST_SHOWN,
      onchange: (event) => {
        this.typed = Object.fromEntries(new FormData(this.form));
        const soft = setting.soft?.every((one) => typeof one === "number") ? [...setting.soft] : undefined;
        if (event.target.checked) this.shown.set(value, { value, words, ...(isNumber && soft ? { range: soft } : {}) });
        else this.shown.delete(value);
        this.show();
        this.typed = null;
        this.form
          .querySelector(`[data-value="${value}"] ${event.target.checked ? "input:not([type=checkbox])" : "input"}`)
          .focus();
      },
    });
    return h(
      "li",
      { "data-value": value },
      h("label", {}, tick, h("span", {}, h("b", {}, words), of && ` of ${of}`)),
      shown && [
        h("input.form-control.form-control-sm", {
          value: shown.words,
          maxLength: 40,
          "aria-label": `What ${words} is called`,
          oninput: (event) => change("words", event.target.value),
        }),
        isNumber && [limit(0), h("span.quiet", {}, "to"), limit(1)],
      ],
    );
  }

  async act() {
    const { store, about, form } = this;
    const { name, says = "" } = Object.fromEntries(new FormData(form));
    // In the order in which they stand in the list.
    const shows = this.candidates()
      .map(({ value }) => this.shown.get(value))
      .filter(Boolean);
    const problem = shows.map(wrongIn).find(Boolean) ?? (name.trim() ? null : "It needs a name.");
    if (problem) {
      form.querySelector(".problem").textContent = problem;
      return;
    }
    if (!about.isNew) {
      const base = `/figures/${about.figureIndex}/phrases`;
      const index = this.figure.phrases.findIndex((one) => one.id === about.id);
      store.edit([{ op: "replace", path: `${base}/${index}`, value: { id: about.id, name: name.trim(), shows } }]);
      this.dialog.close();
      return;
    }
    try {
      await store.send();
      const steps = this.isWhole ? null : this.figure.routine.slice(about.first, about.last + 1).map((step) => step.id);
      const kept = { figure: this.figure.id, steps, name: name.trim(), says: says.trim(), shows };
      await postJson(`/scenes/${store.sceneId}/phrases`, kept);
      await store.findPhrases();
      this.dialog.close();
      say(`${name.trim()} is kept: + ${this.isWhole ? "figure" : "step"} offers it in every scene`);
    } catch (error) {
      if (!(error instanceof ApiError)) throw error;
      form.querySelector(".problem").textContent = error.message;
    }
  }

  keepAsNew() {
    const { about } = this;
    const { name } = Object.fromEntries(new FormData(this.form));
    this.dialog.close();
    this.open({ ...about, name, shows: [...this.shown.values()], isNew: true });
  }

  /** Let the steps of a phrase stand as lines like all others. */
  takeApart() {
    const { store, about } = this;
    const base = `/figures/${about.figureIndex}`;
    const index = this.figure.phrases.findIndex((one) => one.id === about.id);
    const marked = this.figure.routine.flatMap((step, k) => (step.phrase === about.id ? [k] : []));
    this.dialog.close();
    store.edit([
      ...marked.map((k) => ({ op: "remove", path: `${base}/routine/${k}/phrase` })),
      { op: "remove", path: `${base}/phrases/${index}` },
    ]);
  }
}

const labelled = (words, properties) => h("label", {}, words, h("input.form-control.form-control-sm", properties));

/** Say what is wrong with a value that is to be shown, or null. */
function wrongIn({ words, range }) {
  if (!words.trim()) return "Each value in the line needs words.";
  if (range && !(range[0] < range[1])) return `${words}: the least must be below the most.`;
  return null;
}
