"""Copies around an axis."""

import numpy as np

from ...data import Copies
from ...kernels.place import euler_to_quaternion
from ...schema import Kind, Settings, choice, integer, number, switch


class WheelSettings(Settings):
    count: int = integer(12, soft=(1, 100), hard=(1, 1_000_000), headline=True)
    """Copies around the wheel."""
    radius: float = number(100, soft=(0, 500), headline=True)
    """From the middle to each copy."""
    arc: float = number(360, soft=(0, 360), unit="deg")
    """How much of the round is filled; less than 360 puts copies on both ends."""
    start: float = number(0, soft=(-180, 180), unit="deg")
    """Where on the round the first copy stands; it does not turn the copies."""
    axis: str = choice("z", ("x", "y", "z"))
    """The axis the wheel turns about."""
    aligned: bool = switch(True)
    """Turn each copy with the wheel."""


def wheel(shape, settings) -> Copies:
    """Repeat a shape around an axis through the origin.

    Returns Copies in the order of the angle, starting on the next axis after `axis` (x for z)
    """
    count = settings.count
    whole = abs(settings.arc) % 360 == 0
    steps = np.arange(count) / (count if whole else max(count - 1, 1))
    angles = settings.arc * steps
    axis = "xyz".index(settings.axis)
    position = np.zeros((count, 3), np.float32)
    stands = np.radians(angles + settings.start)
    position[:, (axis + 1) % 3] = settings.radius * np.cos(stands)
    position[:, (axis + 2) % 3] = settings.radius * np.sin(stands)
    rotation = None
    if settings.aligned:
        degrees = np.zeros((count, 3), np.float32)
        degrees[:, axis] = angles
        rotation = euler_to_quaternion(degrees)
    cells = 0.5 + position / np.float32(2 * max(abs(settings.radius), 1e-6))
    return Copies.at(shape, position, rotation, cells=cells)


KIND = Kind(
    "wheel",
    "repeat",
    WheelSettings,
    wheel,
    "Repeat on a **wheel** of **{count}**, radius **{radius}**",
    estimate=lambda settings: settings.count,
)
