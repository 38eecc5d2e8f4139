"""A shape made longer or shorter, thinner or thicker with it."""

import numpy as np

from ...craft.extent import AXES, ENDS, REGION, Extent, ExtentSettings
from ...schema import Kind, choice, number, switch


class StretchSettings(ExtentSettings):
    factor: float = number(1.5, soft=(0.2, 3), hard=(0.01, 100), headline=True, per_copy=True)
    """How many times as long it becomes."""
    axis: str = choice("y", AXES, headline=True)
    """The axis along which it is stretched."""
    keeps_volume: bool = switch(True, headline=True)
    """Whether it grows thinner as it grows longer, so that its volume stays the same."""
    stays: str = choice("the middle", ENDS)
    """What stays in place."""


def stretch(points, weights, settings) -> np.ndarray:
    """Stretch or squash a shape along an axis.

    points   (N, 3) float32, scene units; not changed
    weights  (N,) float32 in 0..1, from the step's field
    Returns  (N, 3) float32
    """
    if not len(points):
        return points
    extent = Extent.of(points, settings)
    factors = np.power(np.float32(settings.factor), weights)
    distance, within, stays, length = extent.along(settings.axis, settings.stays)
    thinner = 1 / np.sqrt(factors)
    if settings.within == REGION and length > 0:
        # Towards the ends of a region it grows as wide again as what lies beyond.
        from_middle = extent.along(settings.axis)[1]
        thinner = 1 + (thinner - 1) * (1 + np.cos(from_middle * np.float32(2 * np.pi / length))) / 2
    moved = extent.widened(settings.axis, thinner) if settings.keeps_volume else extent.points.copy()
    moved[:, AXES.index(settings.axis)] = np.float32(stays) + within * factors + (distance - within)
    return extent.back(moved)


KIND = Kind(
    "stretch",
    "deform",
    StretchSettings,
    stretch,
    "Stretch to **{factor}** along **{axis}**, keeping the volume **{keeps_volume}**",
    icon="stretch",
    words="squash scale pull lengthen",
)
