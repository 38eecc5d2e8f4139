// Numbers as people type and read them.

const TOKENS = /\s*(\d+(?:\.\d*)?(?:e[+-]?\d+)?|\.\d+|[-+*/()])/gy;

/** Read a number or a sum such as "360/7"; returns null if it is neither. */
export function readSum(text) {
  const tokens = [];
  const source = text.trim().replaceAll("−", "-").replaceAll("×", "*").replaceAll(",", ".").replace(/[°%]$/, "");
  TOKENS.lastIndex = 0;
  while (TOKENS.lastIndex < source.length) {
    const match = TOKENS.exec(source);
    if (!match) return null;
    tokens.push(match[1]);
  }
  let at = 0;
  const atom = () => {
    const token = tokens[at++];
    if (token === "-") return -atom();
    if (token === "+") return atom();
    if (token === "(") {
      const value = sum();
      return tokens[at++] === ")" ? value : NaN;
    }
    return token === undefined ? NaN : Number(token);
  };
  const product = () => {
    let value = atom();
    while (tokens[at] === "*" || tokens[at] === "/") value = tokens[at++] === "*" ? value * atom() : value / atom();
    return value;
  };
  function sum() {
    let value = product();
    while (tokens[at] === "+" || tokens[at] === "-")
      value = tokens[at++] === "+" ? value + product() : value - product();
    return value;
  }
  const value = tokens.length ? sum() : NaN;
  return at === tokens.length && Number.isFinite(value) ? value : null;
}

/** Write a number short: no more digits than its size asks for. */
export function showNumber(value) {
  if (!Number.isFinite(value)) return "–";
  const size = Math.abs(value);
  const digits = size >= 1000 ? 0 : size >= 100 ? 1 : size >= 1 ? 2 : 3;
  return String(Number(value.toFixed(digits))).replace("-", "−");
}

/** Return the step that one pixel of scrubbing makes, from the soft range or the value itself. */
export function scrubStep(setting, value) {
  const [low, high] = setting.soft;
  const span = low !== null && high !== null ? high - low : Math.max(Math.abs(value), 1) * 4;
  const raw = span / 400;
  const rounded = 10 ** Math.round(Math.log10(raw));
  return setting.sort === "integer" ? Math.max(rounded, 0.1) : rounded;
}

/** Bring a value into the hard range and onto the grid of its step. */
export function fitNumber(setting, value, step) {
  const [low, high] = setting.hard;
  let fitted = step ? Math.round(value / step) * step : value;
  if (setting.sort === "integer") fitted = Math.round(fitted);
  if (low !== null) fitted = Math.max(low, fitted);
  if (high !== null) fitted = Math.min(high, fitted);
  return Number(fitted.toPrecision(10));
}

/** A number within a round of so many: below 0 and beyond the end it goes on at the other side. */
export const wrapped = (number, count) => ((number % count) + count) % count;

/** Write seconds as people say them. */
export function showSeconds(seconds) {
  if (seconds === null || seconds === undefined) return "";
  if (seconds < 90) return `${Math.max(1, Math.round(seconds))} s`;
  return `${Math.round(seconds / 60)} min`;
}
