// Making elements; the one helper that panels build their content with.

/**
 * Make an element.
 * @param {string} tag such as "button.key" or "div"
 * @param {object} [properties] "on…" are listeners, "aria-…", "data-…" and "role" attributes, the rest properties
 * @param {...(Node|string|null|undefined|false|Array)} children
 */
export function h(tag, properties = {}, ...children) {
  const [name, ...classes] = tag.split(".");
  const element = document.createElement(name);
  if (classes.length) element.className = classes.join(" ");
  for (const [key, value] of Object.entries(properties)) {
    if (value === null || value === undefined) continue;
    if (key.startsWith("on")) element.addEventListener(key.slice(2), value);
    else if (/^(aria-|data-|role$|for$|colspan$)/.test(key)) element.setAttribute(key, value);
    else if (key === "style") Object.assign(element.style, value);
    else if (key === "class") element.className += ` ${value}`;
    else element[key] = value;
  }
  element.append(...children.flat(3).filter((child) => child !== null && child !== undefined && child !== false));
  return element;
}

const SVG = "http://www.w3.org/2000/svg";

/** Make an SVG element. */
export function s(tag, attributes = {}, ...children) {
  const element = document.createElementNS(SVG, tag);
  for (const [key, value] of Object.entries(attributes)) element.setAttribute(key, value);
  element.append(...children);
  return element;
}

const SPRITE = new URL("../../vendor/lucide/icons.svg", import.meta.url).pathname;

/** Make a line icon; without a label it is for the eye only. */
export function icon(name) {
  const use = s("use", { href: `${SPRITE}#${name}` });
  return s("svg", { class: "icon", "aria-hidden": "true" }, use);
}

const TEXT_FIELD = "textarea, input:not([type]), input[type=text], input[type=number]";
const waiting = new Map();
// A browser takes letters typed in a select within this time for the beginning of one word.
const ONE_WORD_MS = 1000;
// The field in which somebody has typed what is not taken yet, or the select in which they are typing a word.
let typedIn = null;
let wordEnds = 0;

document.addEventListener("input", ({ target }) => {
  if (target.matches(TEXT_FIELD)) typedIn = target;
});
document.addEventListener("keydown", ({ target, key }) => {
  if (!target.matches("select") || key.length > 1) return;
  typedIn = target;
  clearTimeout(wordEnds);
  wordEnds = setTimeout(() => target === typedIn && typingEnded(), ONE_WORD_MS);
});
// Not at once: the focus is on its way to another control, which must still be there when it arrives.
for (const name of ["change", "focusout"])
  document.addEventListener(name, ({ target }) => {
    const isMidWord = name === "change" && target.matches("select");
    if (target === typedIn && !isMidWord) setTimeout(typingEnded);
  });

// What is held down: an element that is replaced between pressing and letting go is never clicked.
let pressed = null;
let presses = 0;
document.addEventListener(
  "pointerdown",
  ({ target }) => {
    presses += 1;
    pressed = target.closest("button, a, label, summary, .line");
  },
  true,
);
for (const name of ["pointerup", "pointercancel"])
  document.addEventListener(
    name,
    () => {
      const mine = presses;
      // On a busy page the second press of two may have begun by then.
      setTimeout(() => mine === presses && letGo());
    },
    true,
  );

function letGo() {
  pressed = null;
  fillWaiting();
}

/** Fill in what had to wait for somebody's typing. */
export function typingEnded() {
  typedIn = null;
  fillWaiting();
}

function fillWaiting() {
  const held = [...waiting];
  waiting.clear();
  for (const [element, children] of held) refill(element, ...children);
}

/**
 * Replace an element's content but keep the focus on the control with the same data-focus, label or title. What is given
 * as a function is made only then: it may take over elements that are there.
 */
export function refill(element, ...children) {
  // Somebody is typing or pressing something here: the new content waits until they are done.
  if (element.querySelector("input.typed") || element.contains(typedIn) || (pressed && element.contains(pressed))) {
    waiting.set(element, children);
    return;
  }
  waiting.delete(element);
  const focused = element.contains(document.activeElement) ? nameOf(document.activeElement) : null;
  const scroll = element.scrollTop;
  const top = focused ? topOf(document.activeElement) : 0;
  const made = children.map((child) => (typeof child === "function" ? child() : child));
  const isText = (child) => typeof child === "string";
  lay(
    element,
    made
      .flat(3)
      .filter(Boolean)
      .map((child) => (isText(child) ? document.createTextNode(child) : child)),
  );
  element.scrollTop = scroll;
  const control = focused && element.querySelector(focused);
  control?.focus({ preventScroll: true });
  if (element.matches("[role=tabpanel]")) keepPlace(element, control, top);
}

/** Make some elements, and no others, the children of another; those that are there already are not taken out for it. */
export function lay(element, children) {
  const wanted = new Set(children);
  // What loses the focus by it may change what is here, too.
  for (let left; (left = [...element.childNodes].filter((child) => !wanted.has(child))).length;)
    for (const child of left) {
      if (child.contains(document.activeElement)) document.activeElement.blur();
      if (child.parentNode === element) element.removeChild(child);
    }
  let at = element.firstChild;
  for (const child of children) {
    if (child === at) at = at.nextSibling;
    else element.insertBefore(child, at);
  }
}

const topOf = (control) => control.getBoundingClientRect().top;

/** Scroll a panel so that a control stays where it was on the screen; if that is not enough, leave room above. */
function keepPlace(panel, control, top) {
  panel.style.removeProperty("--room");
  if (!control) return;
  panel.scrollTop += topOf(control) - top;
  const missing = top - topOf(control);
  if (missing > 1) panel.style.setProperty("--room", `${missing}px`);
}

/** A selector by which a control is found again among those that take its place, or null. */
function nameOf(control) {
  if (control.dataset.focus) return `[data-focus="${CSS.escape(control.dataset.focus)}"]`;
  const told = ["aria-label", "title"].find((name) => control.hasAttribute(name));
  return told ? `${control.localName}[${told}="${CSS.escape(control.getAttribute(told))}"]` : null;
}
