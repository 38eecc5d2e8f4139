"""Copies around an axis, in one ring or several."""

import numpy as np

from ...craft import RepeatSettings, at_places
from ...data import Copies
from ...kernels.geometry.place import euler_to_quaternion
from ...schema import Kind, choice, integer, number, switch


class WheelSettings(RepeatSettings):
    count: int = integer(12, soft=(1, 100), hard=(1, 1_000_000), headline=True)
    """Copies around the first ring."""
    radius: float = number(100, soft=(0, 500), headline=True)
    """From the middle to each copy of the first ring."""
    rings: int = integer(1, soft=(1, 20), hard=(1, 10_000), headline=True)
    """How many rings there are."""
    ring_apart: float = number(60, soft=(-200, 200))
    """From one ring to the next."""
    more: int = integer(0, soft=(0, 24), hard=(0, 10_000))
    """How many copies more each further ring has."""
    arc: float = number(360, soft=(0, 360), unit="deg", winds=True)
    """How much of the round is filled; less than 360 puts copies on both ends."""
    start: float = number(0, soft=(-180, 180), unit="deg")
    """Where on the round the first copy stands; it does not turn the copies."""
    ring_start: float = number(0, soft=(-90, 90), unit="deg")
    """How much further each ring starts than the one before."""
    axis: str = choice("z", ("x", "y", "z"))
    """The axis the wheel turns about."""
    aligned: bool = switch(True)
    """Turn each copy with the wheel."""


def wheel(shape, settings, links) -> Copies:
    """Repeat a shape around an axis through the origin.

    Returns Copies ring by ring in the order of the angle, starting on the next axis after `axis` (x for z)
    """
    whole = abs(settings.arc) % 360 == 0
    angles, radii = [], []
    for ring in range(settings.rings):
        count = settings.count + ring * settings.more
        steps = np.arange(count) / (count if whole else max(count - 1, 1))
        angles.append(settings.arc * steps + settings.ring_start * ring)
        radii.append(np.full(count, settings.radius + ring * settings.ring_apart))
    angles, radii = np.concatenate(angles), np.concatenate(radii)
    axis = "xyz".index(settings.axis)
    position = np.zeros((len(angles), 3), np.float32)
    stands = np.radians(angles + settings.start)
    position[:, (axis + 1) % 3] = radii * np.cos(stands)
    position[:, (axis + 2) % 3] = radii * np.sin(stands)
    rotation = None
    if settings.aligned:
        degrees = np.zeros((len(angles), 3), np.float32)
        degrees[:, axis] = angles
        rotation = euler_to_quaternion(degrees)
    cells = 0.5 + position / np.float32(2 * max(np.abs(radii).max(), 1e-6))
    return at_places(shape, settings, links, position, rotation, cells)


def estimate(settings) -> int:
    return settings.rings * settings.count + settings.more * settings.rings * (settings.rings - 1) // 2


KIND = Kind(
    "wheel",
    "repeat",
    WheelSettings,
    wheel,
    "Repeat on a **wheel** of **{count}**, radius **{radius}**, **{rings}** rings",
    estimate=estimate,
    icon="wheel",
    words="repeat copies clone array radial ring around circle duplicate",
)
