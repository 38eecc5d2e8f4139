"""A slab between two planes."""

import numpy as np

from ...kernels.geometry.weigh import between_weights
from ...schema import Kind, Settings, choice, number


class BetweenSettings(Settings):
    axis: str = choice("x", ("x", "y", "z"), headline=True)
    """The axis that the planes stand across."""
    start: float = number(-50, soft=(-500, 500), headline=True)
    """Where the first plane is."""
    end: float = number(50, soft=(-500, 500), headline=True)
    """Where the second plane is."""
    fade: float = number(20, soft=(0, 200), hard=(0, None), headline=True)
    """How far the soft edge reaches outside of each plane."""


def between(points, settings) -> np.ndarray:
    """Weigh points 1 between two planes, fading to 0 outside of them.

    points   (N, 3) float32, in the clause's space
    Returns  (N,) float32 in 0..1
    """
    low, high = sorted((settings.start, settings.end))
    return between_weights(points[:, "xyz".index(settings.axis)], low, high, settings.fade)


def ways(points, settings):
    """Away from the middle between the planes, and along them."""
    axis = "xyz".index(settings.axis)
    away, along = np.zeros_like(points), np.zeros_like(points)
    away[:, axis] = np.sign(points[:, axis] - np.float32((settings.start + settings.end) / 2))
    along[:, (axis + 1) % 3] = 1
    return away, along


KIND = Kind(
    "between",
    "clause",
    BetweenSettings,
    between,
    "between **{start}** and **{end}** on **{axis}**, fading over **{fade}**",
    ways=lambda points, settings, moment, links: ways(points, settings),
    icon="between",
    words="linear planes gradient band slab falloff",
)
