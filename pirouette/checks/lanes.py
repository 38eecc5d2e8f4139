"""Lanes over time: the numbers of each moving value at even steps from the first frame to the end."""

import numpy as np

from ..document import Scene
from ..evaluate import Evaluator

MAX_SAMPLES = 1000


def sample_lane(scene: Scene, lane) -> dict:
    """Return a lane as plain data: words, sort, keys, and its numbers at even steps from the first frame to the end.

    A value that differs per copy is sampled for the first copy. Colours are sampled as their brightness.
    """
    count = scene.frame_count
    step = max(1, -(-count // MAX_SAMPLES))
    first = Evaluator(scene, 0)
    samples = []
    for frame in range(0, count + step, step):
        value = lane.value.at(first.at(scene.moment(float(min(frame, count)))).around)
        samples.append(round(float(np.mean(value)), 5))
    keys = getattr(lane.value, "keys", ())
    return {
        "pointer": lane.pointer,
        "name": lane.name,
        "where": lane.where,
        "setting": lane.setting,
        "sort": "keyed" if keys else "live",
        "keys": [{"frame": key.frame, "value": round(float(np.mean(key.value)), 5), "ease": key.ease} for key in keys],
        "perCopy": lane.value.per_copy,
        "step": step,
        "samples": samples,
    }
