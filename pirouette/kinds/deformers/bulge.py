"""A belly or a waist."""

import numpy as np

from ...craft.extent import AXES, Extent, ExtentSettings
from ...schema import Kind, choice, number


class BulgeSettings(ExtentSettings):
    amount: float = number(0.5, soft=(-1, 2), hard=(-10, 10), headline=True, per_copy=True)
    """How much wider the middle becomes, as a share of its width; below 0 it is a waist."""
    axis: str = choice("y", AXES, headline=True)
    """The axis whose ends stay as they are."""


def bulge(points, weights, settings) -> np.ndarray:
    """Widen or narrow a shape around its middle along an axis; both ends stay, and run on smoothly.

    points   (N, 3) float32, scene units; not changed
    weights  (N,) float32 in 0..1, from the step's field
    Returns  (N, 3) float32
    """
    if not len(points):
        return points
    extent = Extent.of(points, settings)
    _, within, _, length = extent.along(settings.axis)
    if length <= 0:
        return points
    belly = (1 + np.cos(within * np.float32(2 * np.pi / length))) / 2
    return extent.back(extent.widened(settings.axis, 1 + settings.amount * belly * weights))


KIND = Kind(
    "bulge",
    "deform",
    BulgeSettings,
    bulge,
    "Bulge by **{amount}** along **{axis}**",
    icon="bulge",
    words="pinch squeeze swell belly",
)
