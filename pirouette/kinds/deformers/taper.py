"""A shape that grows thinner or thicker from one end to the other."""

import numpy as np

from ...craft.extent import AXES, Extent, ExtentSettings
from ...schema import Kind, choice, curve, number

EVEN = [[0, 0], [1, 1]]


class TaperSettings(ExtentSettings):
    size: float = number(0.3, soft=(0, 2), hard=(-10, 10), headline=True, per_copy=True)
    """How wide the high end becomes, as a factor; the low end stays as it is."""
    axis: str = choice("y", AXES, headline=True)
    """The axis from the low end to the high one."""
    pace: list = curve(EVEN)
    """Bends how the width changes from the low end to the high one."""


def taper(points, weights, settings) -> np.ndarray:
    """Make a shape thinner or thicker along an axis, about the middle of its box.

    points   (N, 3) float32, scene units; not changed
    weights  (N,) float32 in 0..1, from the step's field
    Returns  (N, 3) float32
    Source   A. H. Barr, "Global and local deformations of solid primitives", SIGGRAPH 1984
    """
    if not len(points):
        return points
    extent = Extent.of(points, settings)
    _, within, _, length = extent.along(settings.axis, "the low end")
    if length <= 0:
        return points
    share = np.interp(within / length, settings.pace[:, 0], settings.pace[:, 1])
    return extent.back(extent.widened(settings.axis, 1 + (settings.size - 1) * share * weights))


KIND = Kind(
    "taper",
    "deform",
    TaperSettings,
    taper,
    "Taper to **{size}** along **{axis}**",
    icon="taper",
    words="narrow thin pinch point",
)
