"""Fields that keep what they touched: their weights follow from all that was before, at any frame asked for."""

import numpy as np

from ..data import Copies
from .memo import content_key
from .weigh import field_key, field_weights


def limit_weights(run, index, field, points, share, run_routine) -> np.ndarray:
    """Return (N,) float32 weights of a field for the step at `index`, with what it kept.

    points  (N, 3) where the points or copies are now, in the figure's space
    run_routine  runs a figure's routine up to a step, for where they were before

    A field that lets go counts each earlier touch less, until it is forgotten; one that keeps counts all since the
    first frame, or the whole loop where the scene settles before it begins.
    """
    weights = _now(run, field, points, share)
    world = run.world
    after = field.after.resolve(world.around)
    if after.then == "follows":
        return weights
    moment = world.moment
    settles = moment.loops and world.scene.clock.resolve().settle > 0
    if after.then == "keeps":
        frames = moment.frame_count - 1 if settles else int(np.floor(moment.frame))
        left = np.ones(frames)
    else:
        frames = max(int(np.ceil(after.over)) - 1, 0)
        left = 1 - np.arange(1, frames + 1) / after.over
    for back in range(1, frames + 1):
        then = moment.earlier(float(back))
        if not moment.loops and then.frame < 0:
            break
        past = _before(run.at(then), index, field, points, share, run_routine)
        weights = np.maximum(weights, past * np.float32(left[back - 1]))
    return weights


def _now(run, field, points, share):
    if not np.array_equal(run.matrix, np.eye(4)):
        matrix = run.matrix.astype(np.float32)
        points = points @ matrix[:3, :3].T + matrix[:3, 3]
    return field_weights(run.world, field, points, share)


def _before(run, index, field, points, share, run_routine):
    """Weights at an earlier time, where each point was then if it existed, else where it is now."""
    shape = run_routine(run, index)
    was = points
    shape_key = None
    if shape is not None:
        there = shape.position if isinstance(shape, Copies) else shape.points
        if len(there) == len(points):
            was, shape_key = there, shape.key
    if shape_key is None:
        return _now(run, field, was, share)
    key = content_key("touched", field_key(run.world, field), shape_key, run.matrix.tobytes())
    return run.world.memo.get(key, lambda: _now(run, field, was, share))
