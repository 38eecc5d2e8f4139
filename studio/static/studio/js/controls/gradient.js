// A gradient of colours: a strip with a stop for each, which is dragged along it, and the same stops as a list.

import { h, icon } from "../lib/dom.js";
import { addedStop, movedStop, withoutStop } from "../lib/gradient.js";
import { readSum, showNumber } from "../lib/numbers.js";
import { slid } from "../lib/slide.js";
import { gradientImage, newGesture } from "./value.js";

const STEP = 0.01;
const FINE = 0.001;
const PAGE = 0.1;
// A stop, so many pixels wide, is within the strip wherever it stands; the band ends in the middle of the outermost.
const leftOf = (at) => `calc(${at} * (100% - 12px))`;

/**
 * Stops are dragged, or moved by the arrow keys (finer with Shift); a double click on the strip adds one of the colour
 * that is there, a double click on a stop, or Delete, takes it away.
 */
export function gradientValue(store, pointer, raw, label) {
  const write = (stops, options) => store.setValue(pointer, stops, options);
  return h(
    "div.sorted",
    {},
    strip(store, pointer, raw, label, write),
    h(
      "div.stops",
      {},
      raw.map((stop, index) => row(store, raw, stop, index, label, write)),
    ),
    h(
      "button.btn.btn-sm.quiet",
      { type: "button", "data-focus": `${pointer} add`, onclick: () => write(addedStop(raw)) },
      icon("plus"),
      "colour",
    ),
  );
}

function strip(store, pointer, raw, label, write) {
  const band = h("div.gradient-band", { title: "Double click adds a colour" });
  const show = (stops) => (band.style.backgroundImage = gradientImage(stops));
  show(raw);
  const element = h("div.gradient-strip", { role: "group", "aria-label": label }, band);
  const placeOf = (event) => {
    const box = band.getBoundingClientRect();
    return (event.clientX - box.left) / box.width;
  };
  band.addEventListener("dblclick", (event) => write(addedStop(raw, placeOf(event))));
  for (const [index, stop] of raw.entries())
    element.append(knob({ store, pointer, raw, label, write, show, placeOf }, stop, index));
  return element;
}

/** What one stop is dragged by. */
function knob({ store, pointer, raw, label, write, show, placeOf }, stop, index) {
  const element = h("button.gradient-knob", {
    type: "button",
    role: "slider",
    "aria-label": `${label}, place of colour ${index + 1} of ${raw.length}`,
    "aria-valuemin": 0,
    "aria-valuemax": 1,
    "aria-valuenow": stop.at,
    "aria-valuetext": `${showNumber(stop.at)}, ${stop.colour}`,
    title: "Drag along, double click takes it away",
    "data-focus": `${pointer} ${index}`,
    style: { left: leftOf(stop.at), backgroundColor: stop.colour },
  });
  let stops = raw;
  element.addEventListener("pointerdown", (event) => {
    if (event.button !== 0) return;
    store.gesture = newGesture();
    element.setPointerCapture(event.pointerId);
  });
  element.addEventListener("pointermove", (event) => {
    if (!store.gesture || !element.hasPointerCapture(event.pointerId)) return;
    stops = movedStop(raw, index, placeOf(event));
    element.style.left = leftOf(stops[index].at);
    element.setAttribute("aria-valuenow", stops[index].at);
    show(stops);
    write(stops, { gesture: store.gesture });
  });
  const ended = () => {
    if (!store.gesture) return;
    store.gesture = null;
    // What was only pressed stays as it is, so that a second press meets it again.
    if (stops !== raw) store.emit("gesture-end");
  };
  element.addEventListener("pointerup", ended);
  element.addEventListener("pointercancel", ended);
  element.addEventListener("dblclick", () => write(withoutStop(raw, index)));
  element.addEventListener("keydown", (event) => {
    if (event.altKey || event.ctrlKey || event.metaKey) return;
    const at = slid(event.key, stop.at, { step: event.shiftKey ? FINE : STEP, page: PAGE, least: 0, most: 1 });
    if (at !== null) write(movedStop(raw, index, at));
    else if (event.key === "Enter") write(addedStop(raw));
    else if (event.key === "Delete" || event.key === "Backspace") write(withoutStop(raw, index));
    else return;
    event.preventDefault();
    event.stopPropagation();
  });
  return element;
}

/** A stop in the list: its colour, its place as a number, and what takes it away. */
function row(store, raw, stop, index, label, write) {
  return h(
    "span.stop",
    {},
    h("input.value.colour", {
      type: "color",
      value: stop.colour,
      "aria-label": `${label} colour ${index + 1}`,
      onchange: (event) => write(raw.map((one, k) => (k === index ? { ...one, colour: event.target.value } : one))),
    }),
    h("input.form-control.form-control-sm.mono", {
      value: stop.at,
      "aria-label": `${label} place ${index + 1}`,
      onchange: (event) => {
        const at = readSum(event.target.value);
        if (at === null) store.set({ problem: `“${event.target.value}” is not a number` });
        else write(raw.map((one, k) => (k === index ? { ...one, at } : one)));
      },
    }),
    raw.length > 1 &&
      h(
        "button.plain",
        { type: "button", "aria-label": `Remove colour ${index + 1}`, onclick: () => write(withoutStop(raw, index)) },
        icon("x"),
      ),
  );
}
