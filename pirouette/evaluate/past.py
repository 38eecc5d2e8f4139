"""Fields that keep what they touched: their weights follow from all that was before, at any frame asked for."""

import numpy as np

from ..data import Copies
from ..data.key import content_key
from ..kernels.geometry.place import carried
from .size import check_size

MAX_FRAMES = 20_000


def looks_back(ev, field) -> bool:
    """True if the weights of a field that limits a step follow from earlier moments too."""
    return field is not None and ev.resolve(field.after, f"fields/{field.name}/after").then != "follows"


def limit_weights(run, index, field, points, attributes) -> np.ndarray:
    """Return (N,) float32 weights of a field for the step at `index`, with what it kept.

    points      (N, 3) where the points or copies are now, in the figure's space
    attributes  what they carry

    A field that lets go counts each earlier touch less, until it is forgotten; one that keeps counts all since the
    first frame, or the whole loop where the scene settles before it begins.
    """
    weights = _now(run, field, points, attributes)
    ev = run.ev
    after = ev.resolve(field.after, f"fields/{field.name}/after")
    if after.then == "follows":
        return weights
    moment = ev.moment
    settles = moment.loops and ev.scene.clock.resolve().settle > 0
    if after.then == "keeps":
        # After a whole loop it has touched all that it ever will; before the first frame nothing.
        whole = moment.frame_count - 1
        frames = whole if settles else max(int(np.floor(moment.frame)), 0)
        frames = min(frames, whole) if moment.loops else frames
        check_size(frames, MAX_FRAMES, "earlier frames of a field that keeps")
        left = np.ones(frames)
    else:
        frames = max(int(np.ceil(after.over)) - 1, 0)
        left = 1 - np.arange(1, frames + 1) / after.over
    for back in range(1, frames + 1):
        ev.check_wanted()
        then = moment.earlier(float(back))
        if not moment.loops and then.frame < 0:
            break
        touched = _before(run.at(then), index, field, points, attributes)
        weights = np.maximum(weights, touched * np.float32(left[back - 1]))
    return weights


def _now(run, field, points, attributes):
    return run.ev.weights(field, carried(points, run.matrix), None, attributes)


def _before(run, index, field, points, attributes):
    """Weights at an earlier time, where each point was then if it existed, else where it is now."""
    shape = run.shape_before(index)
    if shape is not None:
        was = shape.position if isinstance(shape, Copies) else shape.points
        if len(was) == len(points):
            carries = shape.at_copies if isinstance(shape, Copies) else shape.attributes()
            key = content_key("touched", run.ev.field_key(field), shape.key, run.matrix)
            return run.ev.memo.get(key, lambda: _now(run, field, was, carries))
    return _now(run, field, points, attributes)
