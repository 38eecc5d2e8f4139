// The dial: the loop as a ring. The playhead goes round once per loop; dragging scrubs, straight across the seam.

import { slid } from "../lib/slide.js";
import { h, s } from "../lib/dom.js";
import { stretchesOf } from "../lib/lists.js";
import { readSum } from "../lib/numbers.js";

const SIZE = 160;
const RADIUS = 60;
const WIDTH = 11;
const SETTLED = RADIUS + 8.5;
const GAP = 0.06; // share of the ring left open when the scene plays once

export class Dial {
  constructor(store, element) {
    this.store = store;
    this.ring = s("svg", { viewBox: `0 0 ${SIZE} ${SIZE}`, class: "ring", "aria-hidden": "true" });
    this.base = s("path", { class: "ring-base", "stroke-width": WIDTH });
    this.arcs = s("path", { class: "ring-held", "stroke-width": WIDTH });
    this.settled = s("path", { class: "ring-settled", "stroke-width": 1.5 });
    this.progress = s("path", { class: "ring-progress", "stroke-width": 2.5 });
    this.work = s("path", { class: "ring-work", "stroke-width": 2 });
    this.pace = s("path", { class: "ring-pace" });
    this.keys = s("g", { class: "ring-keys" });
    this.seam = s("line", { class: "ring-seam" });
    this.head = s("line", { class: "ring-head" });
    this.ring.append(
      this.base,
      this.arcs,
      this.settled,
      this.progress,
      this.work,
      this.pace,
      this.keys,
      this.seam,
      this.head,
    );
    this.number = h("input.dial-frame", { "aria-label": "Frame", inputMode: "numeric" });
    this.of = h("span.dial-of");
    this.play = h("button.dial-play", { type: "button", "aria-label": "Play", title: "Play (Space)" });
    this.slider = h(
      "div.dial-ring",
      {
        id: "dial-ring",
        role: "slider",
        tabIndex: 0,
        "aria-label": "Playhead",
        "aria-valuemin": 0,
        "aria-valuenow": 0,
      },
      this.ring,
    );
    element.append(this.slider, h("div.dial-middle", {}, this.number, this.of, this.play));
    this.listen();
    store.on("frame", () => this.showFrame());
    store.on("held document seam lanes playing work settled", () => this.show());
    store.on("progress", () => this.showProgress());
    this.show();
  }

  angle(frame) {
    const { frames, loops } = this.store.clock;
    return loops ? frame / frames : GAP / 2 + (1 - GAP) * (frame / Math.max(frames - 1, 1));
  }

  point(turn, radius) {
    const angle = turn * 2 * Math.PI;
    return [SIZE / 2 + Math.sin(angle) * radius, SIZE / 2 - Math.cos(angle) * radius];
  }

  arc(from, to, radius = RADIUS) {
    if (to - from >= 0.9999) return `${this.arc(0, 0.5, radius)} ${this.arc(0.5, 0.9998, radius)}`;
    const [x0, y0] = this.point(from, radius);
    const [x1, y1] = this.point(to, radius);
    return `M${x0} ${y0} A${radius} ${radius} 0 ${to - from > 0.5 ? 1 : 0} 1 ${x1} ${y1}`;
  }

  /** Arcs for stretches [first, end] of frames. */
  arcOf(stretches, radius) {
    const last = this.store.clock.loops ? 1 : 1 - GAP / 2;
    return stretches
      .map(([first, end]) => this.arc(this.angle(first), Math.min(this.angle(end), last), radius))
      .join("");
  }

  /** How far a simulation has come that is waited for: round once is all of its way. */
  showProgress() {
    const { progress } = this.store.state;
    this.progress.setAttribute("d", progress ? this.arc(0, progress.done / Math.max(progress.of, 1), SETTLED) : "");
  }

  show() {
    const { frames, loops } = this.store.clock;
    this.base.setAttribute("d", loops ? this.arc(0, 1) : this.arc(GAP / 2, 1 - GAP / 2));
    const { held, seam, lanes, playing, settled } = this.store.state;
    this.arcs.setAttribute("d", this.arcOf(stretchesOf(held, frames), RADIUS));
    this.settled.setAttribute("d", this.arcOf(settled ?? [], SETTLED));
    this.work.setAttribute("d", this.arcOf(this.store.state.work ? [this.store.stretch] : [], RADIUS + 13));
    const marks = new Set(
      lanes.flatMap((lane) => lane.keys.map((key) => key.frame)).filter((frame) => frame >= 0 && frame <= frames),
    );
    this.keys.replaceChildren(
      ...[...marks].map((frame) => this.tick(s("line"), this.angle(frame), RADIUS - 7, RADIUS + 7)),
    );
    this.tick(this.seam, 0, RADIUS - 9, RADIUS + 10);
    this.seam.dataset.state = loops ? (seam?.state ?? "") : "once";
    this.of.textContent = `of ${frames}`;
    this.play.dataset.playing = String(playing);
    this.play.setAttribute("aria-label", playing ? "Pause" : "Play");
    this.showFrame();
  }

  /** A short stroke inward for every frame, as long as things move there; shown once all frames are held. */
  showPace(paces) {
    const most = Math.max(...paces.map((one) => one ?? 0), 1e-6);
    const step = Math.max(1, Math.round(paces.length / 96));
    let path = "";
    for (let frame = 0; frame < paces.length; frame += step) {
      if (paces[frame] === null) continue;
      const [x0, y0] = this.point(this.angle(frame + 0.5), RADIUS - 10);
      const [x1, y1] = this.point(this.angle(frame + 0.5), RADIUS - 10 - 9 * (paces[frame] / most));
      path += `M${x0.toFixed(2)} ${y0.toFixed(2)}L${x1.toFixed(2)} ${y1.toFixed(2)}`;
    }
    this.pace.setAttribute("d", path);
  }

  tick(line, turn, inner, outer) {
    const [x1, y1] = this.point(turn, inner);
    const [x2, y2] = this.point(turn, outer);
    for (const [name, value] of Object.entries({ x1, y1, x2, y2 })) line.setAttribute(name, value);
    return line;
  }

  showFrame() {
    const { frame } = this.store.state;
    this.tick(this.head, this.angle(frame), RADIUS - 12, RADIUS + 16);
    if (this.number !== document.activeElement) this.number.value = String(frame);
    this.slider.setAttribute("aria-valuenow", frame);
    this.slider.setAttribute("aria-valuemax", this.store.clock.frames - 1);
  }

  listen() {
    const { store, ring, slider } = this;
    let scrub = null;
    const turnAt = (event) => {
      const box = ring.getBoundingClientRect();
      return (
        Math.atan2(event.clientX - box.left - box.width / 2, -(event.clientY - box.top - box.height / 2)) /
        (2 * Math.PI)
      );
    };
    ring.addEventListener("pointerdown", (event) => {
      ring.setPointerCapture(event.pointerId);
      store.set({ playing: false });
      scrub = turnAt(event);
      store.scrub((((scrub % 1) + 1) % 1) * store.clock.frames);
    });
    ring.addEventListener("pointermove", (event) => {
      if (scrub === null) return;
      // Follow the pointer the short way round, so that the seam is no border.
      const turn = turnAt(event);
      scrub += ((((turn - scrub + 0.5) % 1) + 1) % 1) - 0.5;
      store.scrub(scrub * store.clock.frames);
    });
    ring.addEventListener("pointerup", () => (scrub = null));
    this.play.addEventListener("click", () => store.set({ playing: !store.state.playing }));
    this.number.addEventListener("change", () => {
      const frame = readSum(this.number.value);
      if (frame !== null) store.seek(frame);
      this.number.value = String(store.state.frame);
    });
    this.number.addEventListener("keydown", (event) => {
      event.stopPropagation();
      if (event.key === "Enter") this.number.blur();
    });
    slider.addEventListener("keydown", (event) => {
      const { fps, frames } = store.clock;
      const ends = { least: 0, most: frames - 1 };
      const next = slid(event.key, store.state.frame, { step: 1, page: Math.round(fps), ...ends });
      if (next === null) return;
      event.preventDefault();
      event.stopPropagation();
      store.stepFrames(next - store.state.frame);
    });
  }
}
