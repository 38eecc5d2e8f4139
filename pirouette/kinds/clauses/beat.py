"""A pulse in time, the same everywhere."""

import numpy as np

from ...schema import Kind, Settings, curve, number

FALL = [[0, 1], [0.5, 0.2], [1, 0]]


class BeatSettings(Settings):
    times: float = number(4, soft=(1, 16), hard=(0, None), headline=True)
    """How many pulses there are in each loop, or in each second of a scene that does not loop."""
    phase: float = number(0, soft=(0, 1), headline=True)
    """How much of a pulse has passed when the scene begins."""
    length: float = number(1, soft=(0.05, 1), hard=(1e-3, 1), headline=True)
    """How much of the time from one pulse to the next it lasts."""
    fall: list = curve(FALL)
    """How the weight changes from the beginning of a pulse to its end."""

    @classmethod
    def depends_on_time(cls, resolved) -> bool:
        return resolved.times > 0


def beat(points, settings, moment) -> np.ndarray:
    """Weigh all points alike by a pulse in time.

    Returns  (N,) float32 in 0..1
    """
    part = (moment.phase * settings.times + settings.phase) % 1.0
    fall = settings.fall
    weight = np.interp(part / settings.length, fall[:, 0], fall[:, 1]) if part <= settings.length else fall[-1, 1]
    return np.full(len(points), weight, np.float32)


KIND = Kind(
    "beat",
    "clause",
    BeatSettings,
    beat,
    "in a beat of **{times}**, phase **{phase}**, **{length}** long",
    icon="beat",
    words="pulse time rhythm flash blink",
)
