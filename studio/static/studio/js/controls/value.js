// A value in a line of words: scrubbed by dragging, typed by clicking, reset by a double click.

import { h, typingEnded } from "../lib/dom.js";
import { keyedAt } from "../lib/keys.js";
import { fitNumber, readSum, scrubStep, showNumber } from "../lib/numbers.js";
import { withKey } from "../lib/keys.js";
import { ownerOf } from "../lib/parts.js";
import { slid } from "../lib/slide.js";
import { sortOf } from "../lib/sort.js";

const CLICK_PX = 3;
const DOUBLE_MS = 230;
// So many presses of an arrow key is one of a page key worth.
const PAGE = 10;
let gestureCount = 0;

export const newGesture = () => `g${Date.now().toString(36)}-${(gestureCount += 1)}`;

const UNIT = { deg: "°", mm: " mm" };

/** How a value is told: a number with its unit, a colour as it is written. */
export function showValue(value, setting) {
  if (typeof value === "string") return value;
  if (value === 0 && setting?.zero) return setting.zero;
  return `${showNumber(value)}${UNIT[setting?.unit] ?? ""}`;
}

/**
 * A number in the document as an inline control.
 * @param {Store} store
 * @param {string} pointer
 * @param {object} setting its declaration
 * @param {string} label what a screen reader says
 */
export function numberValue(store, pointer, setting, label, fallback) {
  const raw = store.valueAt(pointer) ?? fallback;
  const sort = sortOf(raw);
  if (sort !== "fixed") return liveValue(store, pointer, setting, label, raw);
  const element = h(
    "span.value.number",
    {
      tabIndex: 0,
      role: "spinbutton",
      "aria-label": label,
      "aria-valuenow": raw,
      "aria-valuemin": setting.hard[0],
      "aria-valuemax": setting.hard[1],
      "aria-valuetext": setting.zero ? showValue(raw, setting) : null,
      "data-focus": pointer,
      "data-pointer": pointer,
      title: `${label} – drag to change, click or press a digit to type, double click to reset`,
    },
    showValue(raw, setting),
  );
  const write = (value, gesture) => {
    const fitted = fitNumber(setting, value, 0);
    element.textContent = showValue(fitted, setting);
    element.setAttribute("aria-valuenow", fitted);
    if (setting.zero) element.setAttribute("aria-valuetext", showValue(fitted, setting));
    store.setValue(pointer, fitted, { gesture });
  };
  const current = () => store.valueAt(pointer) ?? fallback;
  listenScrub(store, element, current, setting, write);
  listenKeys(store, element, current, setting, write);
  element.addEventListener("keydown", (event) => {
    if (event.key === "Enter") {
      event.preventDefault();
      typeIn(store, element, String(current()), write);
    } else if (event.key === "Backspace" || event.key === "Delete") {
      event.preventDefault();
      event.stopPropagation();
      write(defaultOf(setting, pointer));
    }
  });
  element.addEventListener("dblclick", () => write(defaultOf(setting, pointer)));
  element.addEventListener("clicked", () => typeIn(store, element, String(current()), write));
  return element;
}

/**
 * The arrow keys change a number, with Shift finer, the page keys by more, Home and End lead to the ends of its usual
 * range; a digit begins to type another one, and so does a sign after a click;
 * otherwise signs are commands.
 */
function listenKeys(store, element, current, setting, write) {
  element.addEventListener("keydown", (event) => {
    if (event.altKey || event.ctrlKey || event.metaKey) return;
    const isAcross = event.key === "ArrowLeft" || event.key === "ArrowRight";
    const step = scrubStep(setting, current()) * (event.shiftKey ? 1 : 10);
    const [least, most] = setting.soft;
    const next = isAcross ? null : slid(event.key, current(), { step, page: PAGE * step, least, most });
    const begins = element.isClicked ? /^[0-9.-]$/ : /^[0-9]$/;
    if (next === null && !begins.test(event.key)) return;
    event.preventDefault();
    event.stopPropagation();
    if (next === null) typeIn(store, element, event.key, write);
    else write(fitNumber(setting, next, 0));
  });
}

function defaultOf(setting, pointer) {
  return Array.isArray(setting.default) ? setting.default[Number(pointer.split("/").at(-1))] : setting.default;
}

/** Drag sideways to change: Shift finer, Alt coarser. A click without a drag is sent as "clicked". */
export function listenScrub(store, element, current, setting, write) {
  let start = null;
  let timer = null;
  let home = null;
  const letGo = () => {
    store.gesture = null;
    store.emit("gesture-end");
    return null;
  };
  element.addEventListener("pointerdown", (event) => {
    if (event.button !== 0) return;
    event.stopPropagation();
    element.setPointerCapture(event.pointerId);
    // The same value may stand in a line and among the settings.
    home = element.closest("[id]") ?? document;
    start = { x: event.clientX, value: current(), moved: false, gesture: newGesture(), travelled: 0 };
    // From here on the line must stay as it is, or the pointer would lose what it holds.
    store.gesture = start.gesture;
  });
  element.addEventListener("pointermove", (event) => {
    if (!start) return;
    const dx = event.clientX - start.x;
    if (!start.moved && Math.abs(dx) < CLICK_PX) return;
    start.moved = true;
    start.x = event.clientX;
    const pace = event.shiftKey ? 0.1 : event.altKey ? 10 : 1;
    const step = scrubStep(setting, start.value);
    start.travelled += dx * step * pace;
    document.body.classList.add("scrubbing");
    write(fitNumber(setting, start.value + start.travelled, step * Math.min(pace, 1)), start.gesture);
  });
  const end = (event) => {
    if (!start) return;
    const { moved } = start;
    start = null;
    document.body.classList.remove("scrubbing");
    clearTimeout(timer);
    if (moved || event.type !== "pointerup") return letGo();
    // A second click may follow: until then the line stays, so that both fall on the same control.
    timer = setTimeout(() => {
      timer = null;
      letGo();
      const now = element.isConnected
        ? element
        : home.querySelector(`[data-pointer="${element.dataset.pointer}"]:is(.number, .live)`);
      now?.dispatchEvent(new CustomEvent("clicked"));
    }, DOUBLE_MS);
    return null;
  };
  element.addEventListener("pointerup", end);
  element.addEventListener("pointercancel", end);
  element.addEventListener("dblclick", () => {
    clearTimeout(timer);
    letGo();
  });
  // Who types at once has clicked once; the line may change when the typing has begun.
  element.addEventListener("keydown", (event) => {
    const isAlone = ["Control", "Meta", "Alt", "Shift"].includes(event.key);
    if (timer === null || isAlone || event.ctrlKey || event.metaKey) return;
    clearTimeout(timer);
    timer = null;
    element.isClicked = true;
    setTimeout(() => {
      element.isClicked = false;
      letGo();
    });
  });
}

/** Put a text field in the place of a number until it is left; what is no number stays in it, to be mended. */
function typeIn(store, element, text, write) {
  const input = h("input.typed", {
    value: text,
    "aria-label": element.getAttribute("aria-label"),
    size: Math.max(4, text.length + 1),
  });
  element.replaceWith(input);
  input.focus();
  if (text.length > 1) input.select();
  let over = false;
  const finish = (value) => {
    over = true;
    if (input.isConnected) input.replaceWith(element);
    element.focus?.({ preventScroll: true });
    typingEnded();
    if (value !== null) write(value);
  };
  const take = () => {
    if (over) return;
    const isChanged = input.value !== text || text.length === 1;
    const value = isChanged ? readSum(input.value) : null;
    if (!isChanged || value !== null) {
      if (input.hasAttribute("aria-invalid")) store.set({ problem: null });
      finish(value);
      return;
    }
    input.setAttribute("aria-invalid", "true");
    store.set({ problem: `“${input.value}” is not a number; write one, or a sum such as 360/7` });
  };
  input.addEventListener("keydown", (event) => {
    event.stopPropagation();
    if (event.key === "Enter") take();
    if (event.key === "Escape" && !over) {
      if (input.hasAttribute("aria-invalid")) store.set({ problem: null });
      finish(null);
    }
  });
  // Who goes on to something else takes the number as it was; what was written is told in the problem.
  input.addEventListener("blur", () => {
    take();
    if (!over) finish(null);
  });
}

const shortened = (text) => (text.length > 30 ? `${text.slice(0, 28)}…` : text);

/** A keyed, swinging or computed value: shown as it is now, opened for its settings by a click. */
function liveValue(store, pointer, setting, label, raw) {
  const lane = store.state.lanes.find((one) => one.pointer === pointer);
  const now = store.liveValue(pointer);
  const words = raw.text ?? store.document.formulas?.find((one) => one.id === raw.shared)?.name ?? "formula";
  const text = shortened(raw.sort === "formula" ? words : now === undefined ? raw.sort : showValue(now, setting));
  const told = lane ? `, now ${showValue(now ?? NaN)}` : "";
  const nameAs = (words) => `${label}, ${raw.sort}${words === raw.sort ? "" : `, now ${words}`}`;
  const open = () => store.set({ open: ownerOf(pointer) });
  const isScrubbed = raw.sort === "keyed" && typeof raw.keys[0].value === "number";
  const element = h(
    `button.value.live.${raw.sort}`,
    {
      type: "button",
      "data-focus": pointer,
      "data-pointer": pointer,
      "data-live": raw.sort === "formula" ? null : pointer,
      "aria-label": raw.sort === "formula" ? `${label}, formula ${text}${told}` : nameAs(text),
      title:
        raw.sort === "formula"
          ? `${label}: ${words}`
          : isScrubbed
            ? `${label}: drag, or type a number, for a key here; click for all its settings`
            : `${label}: ${raw.sort}`,
      onclick: (event) => {
        event.stopPropagation();
        // With the mouse, a click is known only once no drag and no second click followed.
        if (!isScrubbed || event.detail === 0) open();
      },
    },
    typeof now === "string" && raw.sort !== "formula" ? null : text,
  );
  if (raw.sort !== "formula")
    element.showNow = () => {
      const then = store.liveValue(pointer);
      if (then === undefined) return;
      const words = showValue(then, setting);
      if (typeof then === "string") element.replaceChildren(h("span.swatch", { style: { background: then } }));
      else element.textContent = words;
      element.setAttribute("aria-label", nameAs(words));
    };
  if (typeof now === "string") element.showNow?.();
  if (!isScrubbed) return element;
  const current = () => keyedAt(store.valueAt(pointer), store.state.frame);
  const write = (value, gesture) => {
    const fitted = fitNumber(setting, value, 0);
    element.textContent = showValue(fitted, setting);
    store.setValue(
      pointer,
      { ...raw, keys: withKey(store.valueAt(pointer).keys, store.state.frame, fitted) },
      { gesture },
    );
  };
  listenScrub(store, element, current, setting, write);
  listenKeys(store, element, current, setting, write);
  element.addEventListener("clicked", open);
  return element;
}

/** Bring the moving values in the sentences of a panel to the shown frame. */
export function showNow(panel) {
  for (const element of panel.querySelectorAll("[data-live]")) element.showNow?.();
}

export function colourValue(store, pointer, label, fallback) {
  const raw = store.valueAt(pointer) ?? fallback;
  if (sortOf(raw) !== "fixed") return liveValue(store, pointer, {}, label, raw);
  const gesture = newGesture();
  return h("input.value.colour", {
    type: "color",
    value: raw,
    "aria-label": label,
    title: `${label}: ${raw}`,
    "data-focus": pointer,
    "data-pointer": pointer,
    oninput: (event) => {
      store.gesture = gesture;
      store.setValue(pointer, event.target.value, { gesture });
    },
    onchange: () => {
      store.gesture = null;
      store.emit("gesture-end");
    },
  });
}

export function choiceValue(store, pointer, setting, label, fallback) {
  const raw = store.valueAt(pointer) ?? fallback;
  return h(
    "select.value.choice",
    { "aria-label": label, "data-focus": pointer, onchange: (event) => store.setValue(pointer, event.target.value) },
    setting.choices.map((choice) => h("option", { value: choice, selected: choice === raw }, choice)),
  );
}

/** A gradient as an image of CSS. */
export function gradientImage(stops) {
  const css = [...stops].sort((a, b) => a.at - b.at).map((stop) => `${stop.colour} ${stop.at * 100}%`);
  return `linear-gradient(90deg, ${css.length > 1 ? css.join(", ") : `${stops[0].colour}, ${stops[0].colour}`})`;
}

export function gradientChip(stops) {
  return h("span.gradient", { title: "gradient", style: { backgroundImage: gradientImage(stops) } });
}
