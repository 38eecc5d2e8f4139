// Takes a point that was picked in the view for a setting that waits for one.

import { dot, minus } from "../lib/vectors.js";
import { setOperations } from "../lib/json-patch.js";
import { movedTo } from "../lib/values.js";

/**
 * Write how far a place is along the current camera's line of sight to the setting that waits; nothing without a place.
 * @param {object} store
 * @param {object} header of the frame that is shown
 * @param {number[]|undefined} place in the world
 */
export function takePlace(store, header, place) {
  const pointer = store.state.picking;
  store.set({ picking: null });
  if (!place) {
    store.set({ problem: "There is nothing to focus on there; pick a point of a figure." });
    return;
  }
  const { position, forward } = header.view;
  const distance = dot(minus(place, position), forward);
  if (distance <= 0) {
    store.set({ problem: "That point lies behind the camera." });
    return;
  }
  const raw = store.valueAt(pointer) ?? 0;
  const shown = store.liveValue(pointer) ?? raw;
  const { frame, recording } = store.state;
  store.edit(setOperations(store.document, pointer, movedTo(raw, shown, distance, frame, recording)));
}
