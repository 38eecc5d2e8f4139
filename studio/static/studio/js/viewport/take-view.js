// Puts the current camera where the free view is.

import { minus } from "../lib/vectors.js";
import { setOperations } from "../lib/json-patch.js";
import { carryBack, IDENTITY } from "../lib/matrix.js";
import { rounded, vectorMovedTo } from "../lib/values.js";
import { newGesture } from "../controls/value.js";
import { Shown } from "./subject.js";

/** Move the current camera and what it looks at; keys are set where they move already. Returns whether it could be done. */
export function takeView(store, viewport) {
  const { document: scene, catalogue, state } = store;
  const view = viewport.free;
  if (!view) return false;
  const index = Math.max(
    0,
    scene.cameras.findIndex((one) => one.id === scene.camera),
  );
  const shown = new Shown(store, `/cameras/${index}/settings`, catalogue.things.camera);
  const carrier = viewport.header.places.carriers[`cameras/${scene.cameras[index].id}`] ?? IDENTITY;
  const gesture = newGesture();
  for (const [name, point] of [
    ["position", view.position],
    ["target", view.pivot],
  ]) {
    const local = carryBack(carrier, minus(point, [carrier[3], carrier[7], carrier[11]]));
    if (!local) return false;
    store.edit(
      setOperations(
        store.document,
        `${shown.base}/${name}`,
        vectorMovedTo(shown.raw(name), shown.now(name), local.map(rounded), state.frame, state.recording),
      ),
      { gesture },
    );
  }
  if (shown.raw("aims_at")) store.edit(setOperations(store.document, `${shown.base}/aims_at`, null), { gesture });
  viewport.backToCamera();
  return true;
}
