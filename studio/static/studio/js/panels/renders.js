// The render dialog, and the progress of jobs; a job goes on when the page is closed.

import { ApiError, getJson, postJson } from "../api.js";
import { h, icon, refill } from "../lib/dom.js";
import { showSeconds } from "../lib/numbers.js";

const POLL_MS = 600;
const OPEN = ["waiting", "running", "assembling"];
const FORMATS = { mp4: "MP4 movie", gif: "GIF", sequence: "PNG sequence", png: "PNG still" };

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
    this.form.addEventListener("input", () => this.showForm());
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

  showForm() {
    const fields = this.form.elements;
    const still = fields.format.value === "png";
    fields.last.disabled = still;
    if (still) fields.last.value = fields.first.value = this.store.state.frame;
    const frames = still ? 1 : Math.max(0, fields.last.value - fields.first.value + 1);
    this.form.querySelector(".summary").textContent =
      `${frames} ${frames === 1 ? "frame" : "frames"}, ${(frames / this.store.clock.fps).toFixed(2)} s`;
    fields.bits.disabled = !["png", "sequence"].includes(fields.format.value);
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
      bits: Number(fields.bits.value),
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
    if (first)
      this.words.textContent = `rendering ${Math.floor((100 * first.done) / first.total)} %${first.secondsLeft ? `, ${showSeconds(first.secondsLeft)} left` : ""}`;
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
        h("strong", {}, FORMATS[job.format]),
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
