// The render dialog, and the progress of jobs; a job goes on when the page is closed.

import { ApiError, getJson, postJson } from "../api.js";
import { h, icon, refill } from "../lib/dom.js";
import { showSeconds } from "../lib/numbers.js";

const POLL_MS = 600;
const OPEN = ["waiting", "running", "assembling"];

export class Renders {
  constructor(store) {
    this.store = store;
    this.dialog = document.getElementById("render-dialog");
    this.form = this.dialog.querySelector("form");
    this.jobs = this.dialog.querySelector(".jobs");
    this.button = document.getElementById("render");
    this.words = document.getElementById("render-progress");
    this.button.addEventListener("click", () => this.open());
    this.words.addEventListener("click", () => this.open());
    this.form.addEventListener("submit", (event) => this.submit(event));
    this.form.addEventListener("input", (event) => this.showForm(event.target.name === "format"));
    this.form.elements.format.replaceChildren(
      ...store.formats.map(({ id, words }) => h("option", { value: id }, words)),
    );
    this.dialog.querySelector(".close").addEventListener("click", () => this.dialog.close());
    this.dialog.addEventListener("keydown", (event) => event.stopPropagation());
    this.poll();
  }

  open() {
    const { frame } = this.store.document;
    const fields = this.form.elements;
    const size = `${frame.width ?? 1920}x${frame.height ?? 1080}`;
    const small = `${Math.round((frame.width ?? 1920) / 4) * 2}x${Math.round((frame.height ?? 1080) / 4) * 2}`;
    fields.size.replaceChildren(
      ...[
        [size, "full"],
        [small, "half"],
      ].map(([value, words]) => h("option", { value }, `${value.replace("x", " × ")} (${words})`)),
    );
    fields.first.value = 0;
    fields.last.value = this.store.clock.frames - 1;
    this.form.querySelector(".problem").textContent = "";
    this.showForm();
    this.dialog.showModal();
    this.poll();
  }

  get format() {
    return this.store.formats.find(({ id }) => id === this.form.elements.format.value);
  }

  showForm(isOtherFormat = false) {
    const fields = this.form.elements;
    const { format } = this;
    fields.which.disabled = format.is_movie;
    if (format.is_movie) fields.which.value = "all";
    const isOne = fields.which.value === "this";
    fields.first.disabled = fields.last.disabled = isOne;
    if (isOne) fields.last.value = fields.first.value = this.store.state.frame;
    const frames = isOne ? 1 : Math.max(0, fields.last.value - fields.first.value + 1);
    const many = format.is_movie || frames === 1 ? "" : ", as a zip";
    this.form.querySelector(".summary").textContent =
      `${frames} ${frames === 1 ? "frame" : "frames"}, ${(frames / this.store.clock.fps).toFixed(2)} s${many}`;
    const options = this.form.querySelector(".options");
    if (isOtherFormat || !options.dataset.of) refill(options, format.options.map(optionField));
    options.dataset.of = format.id;
  }

  /** What is chosen of the format's options. */
  chosen() {
    const fields = this.form.elements;
    return Object.fromEntries(
      this.format.options.map(({ name, sort, choices }) => {
        const field = (part) => fields[`option-${part}`];
        if (sort === "switch") return [name, field(name).checked];
        if (sort === "flags") return [name, choices.filter((one) => field(`${name}-${one}`).checked)];
        return [name, field(name).value];
      }),
    );
  }

  async submit(event) {
    event.preventDefault();
    await this.store.send();
    const fields = this.form.elements;
    const [width, height] = fields.size.value.split("x").map(Number);
    const wanted = {
      format: fields.format.value,
      first: Number(fields.first.value),
      last: Number(fields.last.value),
      width,
      height,
      samples: Number(fields.samples.value),
      options: this.chosen(),
    };
    try {
      await postJson(`/scenes/${this.store.sceneId}/renders`, wanted);
      this.form.querySelector(".problem").textContent = "";
      this.poll();
    } catch (error) {
      if (!(error instanceof ApiError)) throw error;
      this.form.querySelector(".problem").textContent = error.message;
    }
  }

  async poll() {
    clearTimeout(this.timer);
    try {
      this.show(await getJson(`/scenes/${this.store.sceneId}/renders`));
    } catch (error) {
      if (!(error instanceof ApiError)) throw error;
      this.timer = setTimeout(() => this.poll(), POLL_MS * 4);
    }
  }

  show(jobs) {
    const open = jobs.filter((job) => OPEN.includes(job.state));
    refill(this.jobs, jobs.length ? jobs.slice(0, 6).map((job) => this.job(job)) : h("li.none", {}, "No renders yet."));
    const first = open.at(-1);
    this.words.hidden = !first;
    if (first) {
      const left = first.secondsLeft ? `, ${showSeconds(first.secondsLeft)} left` : "";
      this.words.textContent = `rendering ${Math.floor((100 * first.done) / first.total)} %${left}`;
    }
    if (open.length) this.timer = setTimeout(() => this.poll(), POLL_MS);
  }

  job(job) {
    const share = Math.round((100 * job.done) / job.total);
    const left = job.secondsLeft ? `, about ${showSeconds(job.secondsLeft)} left` : "";
    const state = {
      waiting: "waiting",
      running: `${job.done} of ${job.total} frames${left}`,
      assembling: "putting it together",
      done: "done",
      failed: job.message,
      cancelled: "cancelled",
    }[job.state];
    return h(
      "li.job",
      { "data-state": job.state },
      h(
        "div.job-words",
        {},
        h("strong", {}, this.store.formats.find(({ id }) => id === job.format)?.words ?? job.format),
        ` ${job.size.join(" × ")}, ${job.samples} samples `,
        h("span.quiet", {}, state),
      ),
      OPEN.includes(job.state) ? h("progress", { max: 100, value: share, "aria-label": `${share} % rendered` }) : null,
      OPEN.includes(job.state)
        ? h(
            "button.btn.btn-sm.quiet",
            { type: "button", onclick: () => postJson(`/renders/${job.id}/cancel`).then(() => this.poll()) },
            "Cancel",
          )
        : null,
      job.file ? h("a.btn.btn-sm.quiet", { href: job.file, download: "" }, icon("download"), "Download") : null,
    );
  }
}

/** The field of one option of a format, as it is declared. */
function optionField({ name, sort, choices, default: value, help }) {
  const id = `option-${name}`;
  const words = name[0].toUpperCase() + name.slice(1).replaceAll("_", " ");
  const box = (boxId, label, checked) =>
    h(
      "label.form-check",
      {},
      h("input.form-check-input", { type: "checkbox", name: boxId, id: boxId, checked }),
      label,
    );
  if (sort === "switch") return h("div.col-6", { title: help }, box(id, words, value));
  if (sort === "flags") {
    const boxes = choices.map((one) => box(`${id}-${one}`, one, value.includes(one)));
    return h("fieldset.col-12.flags", { title: help }, h("legend.form-label", {}, words), boxes);
  }
  const options = choices.map((one) => h("option", { value: one, selected: one === value }, one));
  return h(
    "div.col-6",
    { title: help },
    h("label.form-label", { for: id }, words),
    h("select.form-select.form-select-sm", { id, name: id }, options),
  );
}
