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

const waiting = new Map();

/** Fill in what had to wait for somebody's typing. */
export function typingEnded() {
  const held = [...waiting];
  waiting.clear();
  for (const [element, children] of held) refill(element, ...children);
}

/** Replace an element's content but keep the focus on the control with the same data-focus. */
export function refill(element, ...children) {
  // Somebody is typing here: the new content waits until they are done.
  if (element.querySelector("input.typed")) {
    waiting.set(element, children);
    return;
  }
  const focused = element.contains(document.activeElement) ? document.activeElement.dataset.focus : null;
  const scroll = element.scrollTop;
  element.replaceChildren(...children.flat(3).filter(Boolean));
  element.scrollTop = scroll;
  if (focused) element.querySelector(`[data-focus="${CSS.escape(focused)}"]`)?.focus({ preventScroll: true });
}
