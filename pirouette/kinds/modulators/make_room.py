"""Copies that keep each other from touching."""

import numpy as np

from ...craft.vary import needs_several
from ...data import Copies
from ...kernels.geometry.room import make_room as make_room_kernel
from ...schema import Kind, Settings, choice, integer, number


class MakeRoomSettings(Settings):
    gap: float = number(0, soft=(-20, 60), headline=True)
    """Least distance between the surfaces of two copies."""
    times: int = integer(20, soft=(1, 100), hard=(1, 1000), headline=True)
    """How often copies that touch are pushed apart; more is more even."""
    within: str = choice("space", ("space", "x and y", "x and z", "y and z"), headline=True)
    """The directions in which they may give way."""


FREE = {"space": (1, 1, 1), "x and y": (1, 1, 0), "x and z": (1, 0, 1), "y and z": (0, 1, 1)}


def make_room(copies, weights, settings, check_wanted) -> Copies:
    """Push copies apart until their enclosing balls do not touch, or as far as the number of times allows.

    weights  (N,) 0..1, how readily each copy gives way; 0 stays where it is
    Returns  the copies, moved; the same for any number of threads
    """
    if copies.count < 2:
        return copies
    radii = np.array([_radius(source) for source in copies.sources], np.float32)[copies.which]
    radii = radii * np.abs(copies.scale).max(axis=1) + np.float32(settings.gap / 2)
    free = np.array(FREE[settings.within], np.float32)
    radii = np.maximum(radii, 0)
    return copies.moved(position=make_room_kernel(copies.position, radii, weights, free, settings.times, check_wanted))


def _radius(source) -> float:
    """Half the widest side of a source's box: forms are closer to that than to a ball around their corners."""
    if isinstance(source, Copies):
        drawn = source.flattened()
        middles = [placed.matrices[:, :, 3] for placed in drawn]
        spread = np.concatenate(middles) if middles else np.zeros((1, 3))
        inner = max((_radius(placed.mesh) for placed in drawn), default=0.0)
        return float(np.ptp(spread, axis=0).max() / 2 + inner)
    low, high = source.bounds
    return float((high - low).max() / 2)


KIND = Kind(
    "make_room",
    "modulate",
    MakeRoomSettings,
    make_room,
    "Make room **{gap}** apart, **{times}** times, in **{within}**",
    advice=needs_several,
    icon="make_room",
    words="push apart collide overlap spread",
)
