"""Copies of what the routine makes as it was at earlier times."""

from dataclasses import replace

import numpy as np

from ...data import Copies
from ...kernels.geometry.place import matrices_to_quaternions
from ...schema import Kind, Settings, flags, integer, number

CARRIES = ("shape", "place", "turn", "size")


class AfterimageSettings(Settings):
    count: int = integer(10, soft=(1, 40), hard=(1, 2000), headline=True)
    """How many copies there are, the present one among them."""
    apart: float = number(2, soft=(0.25, 24), unit="frames", headline=True)
    """Frames from each copy to the one before it; below 0 they run ahead."""
    fade: float = number(0.6, soft=(0, 1), hard=(0, 1), headline=True)
    """How much less than the present copy the last one is seen."""
    shrink: float = number(0, soft=(0, 1), hard=(0, 1))
    """How much smaller than the present copy the last one is."""
    carries: list = flags(CARRIES, CARRIES)
    """What is taken from the earlier times: the shape, and the figure's place, turn and size then."""


def delays(settings) -> np.ndarray:
    return np.arange(settings.count) * settings.apart


def afterimage(shape, settings, before) -> Copies:
    """Repeat a shape as it was at earlier times, where the figure was then.

    before   frames -> the figure so many frames ago; its matrix leads from where it was then to where it is now
    Returns  Copies, the present one first
    """
    count = settings.count
    past = np.stack([before(delay).matrix for delay in delays(settings)])
    linear, carries = past[:, :3, :3], set(settings.carries)
    scale = np.linalg.norm(linear, axis=1)
    turn = linear / np.maximum(scale[:, None, :], 1e-12)
    flips = np.linalg.det(turn) < 0
    turn[flips], scale[flips] = -turn[flips], -scale[flips]
    copies = Copies.at(
        shape,
        past[:, :3, 3] if "place" in carries else np.zeros((count, 3)),
        matrices_to_quaternions(turn) if "turn" in carries else None,
    )
    share = np.arange(count) / max(count - 1, 1)
    sizes = (1 - share * settings.shrink)[:, None] * (scale if "size" in carries else np.ones((1, 3)))
    return replace(
        copies,
        scale=sizes,
        opacity=1 - share * settings.fade,
        delay=delays(settings) if "shape" in carries else copies.delay,
    )


KIND = Kind(
    "afterimage",
    "repeat",
    AfterimageSettings,
    afterimage,
    "**Afterimages**: **{count}** copies, **{apart}** apart, fading by **{fade}**",
    estimate=lambda settings: settings.count,
    icon="afterimage",
    words="repeat copies echo ghost trail history delay onion",
)
