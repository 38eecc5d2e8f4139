// The points of a curve as controls. In the view they are moved; here they are also counted, added, typed and keyed.

import { h, icon } from "../lib/dom.js";
import { isSmooth, lengthened, nodesNow, toggled } from "../lib/nodes.js";

const PLACE = { sort: "number", soft: [-200, 200], hard: [null, null], unit: "", can_move: true };
const HANDLES = { arrive: "handle before", leave: "handle after" };
// Which handles are unfolded, by their pointers: a panel that is made anew leaves them so.
const unfolded = new Set();

/**
 * The points of a curve.
 * @param {function} numberOf (part, pointer) the number that a part of a point is now
 * @param {function} control (setting, pointer, label) makes the control of a part, which may be of any sort
 */
export function nodesValue(store, pointer, raw, numberOf, control) {
  const write = (nodes) => store.setValue(pointer, nodes);
  const now = () => nodesNow(raw, (part, way) => numberOf(part, `${pointer}/${way}`));
  const place = (node, index, name) =>
    h(
      "div.axes",
      {},
      node[name].map((part, axis) =>
        control(
          { ...PLACE, default: typeof part === "number" ? part : 0 },
          `${pointer}/${index}/${name}/${axis}`,
          `point ${index + 1}${name === "at" ? "" : ` ${name}`} ${"xyz"[axis]}`,
        ),
      ),
    );
  const handle = (node, index, name) => {
    const at = `${pointer}/${index}/${name}`;
    return h(
      "details",
      {
        open: unfolded.has(at),
        ontoggle: (event) => (event.target.open ? unfolded.add(at) : unfolded.delete(at)),
      },
      h("summary", { "data-focus": at }, HANDLES[name]),
      place(node, index, name),
    );
  };
  const smooth = (node, index) =>
    h(
      "button.plain",
      {
        type: "button",
        title: isSmooth(node) ? "Make it a corner" : "Make it smooth",
        "aria-label": `Point ${index + 1}: ${isSmooth(node) ? "smooth" : "corner"}`,
        "data-focus": `${pointer}/${index} smooth`,
        onclick: () => write(toggled(raw, now(), index)),
      },
      icon(isSmooth(node) ? "path" : "up"),
    );
  const remove = (index) =>
    h(
      "button.plain",
      {
        type: "button",
        "aria-label": `Remove point ${index + 1}`,
        onclick: () => write(raw.filter((_, k) => k !== index)),
      },
      icon("x"),
    );
  return h(
    "div.sorted",
    {},
    h(
      "div.nodes",
      {},
      raw.map((node, index) =>
        h(
          "div.node",
          {},
          h(
            "div.node-head",
            {},
            h("span", {}, `Point ${index + 1}`),
            smooth(node, index),
            raw.length > 2 && remove(index),
          ),
          place(node, index, "at"),
          Object.keys(HANDLES).map((name) => node[name] && handle(node, index, name)),
        ),
      ),
    ),
    h(
      "button.btn.btn-sm.quiet",
      { type: "button", onclick: () => write(lengthened(raw, now())) },
      icon("plus"),
      "point",
    ),
  );
}
