"""Lanes over time: the numbers of each moving value at even steps from the first frame to the end."""

import numpy as np

from ..data import Cancelled, ProblemError, TooMuch
from ..data.light import hex_colour
from ..document import Scene
from ..document.lanes import lanes_of
from ..evaluate import Evaluator

MAX_SAMPLES = 1000


def sample_lanes(scene: Scene, is_cancelled=lambda: False) -> list[dict]:
    """Return all lanes as plain data: words, sort, keys, and samples at even steps from the first frame to the end.

    Samples are numbers, or colours as they are written. A value that differs per copy is sampled for the first copy. A
    lane whose formula fails at some frame is left out: that is told of where the frame is shown.

    is_cancelled  asked between frames; once true, Cancelled is raised
    """
    lanes, count = list(lanes_of(scene)), scene.frame_count
    step = max(1, -(-count // MAX_SAMPLES))
    first, samples = Evaluator(scene, 0), [[] for _ in lanes]
    for frame in range(0, count + step, step):
        if is_cancelled():
            raise Cancelled
        around = first.at(scene.moment(float(min(frame, count)))).around
        for number, lane in enumerate(lanes):
            if samples[number] is not None:
                samples[number] = _with_sample(samples[number], lane, around)
    return [_described(lane, step, one) for lane, one in zip(lanes, samples, strict=True) if one is not None]


def _with_sample(samples, lane, around):
    """The samples of a lane and one more of another moment, or None if it fails there."""
    try:
        samples.append(_sample(lane, lane.value.at(around)))
        return samples
    except TooMuch:
        raise
    except ProblemError:
        return None


def _sample(lane, value):
    """One value of a lane as plain data."""
    if lane.owner.declared()[lane.field].sort == "colour":
        return hex_colour(np.reshape(value, (-1, 3))[0])
    return round(float(np.mean(value)), 5)


def _described(lane, step, samples) -> dict:
    keys = getattr(lane.value, "keys", ())
    return {
        "pointer": lane.pointer,
        "name": lane.name,
        "where": lane.where,
        "setting": lane.setting,
        "sort": "keyed" if keys else "live",
        "keys": [{"frame": key.frame, "value": _sample(lane, key.value), "ease": key.ease} for key in keys],
        "perCopy": lane.value.per_copy,
        "step": step,
        "samples": samples,
    }
