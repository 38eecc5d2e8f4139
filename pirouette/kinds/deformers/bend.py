"""A straight shape rolled along an arc."""

import numpy as np

from ...craft.extent import AXES, Extent, ExtentSettings
from ...schema import Kind, choice, number

# axis of length, axis towards which it bends
WAYS = {"x": (0, 2), "y": (1, 2), "z": (2, 1)}


class BendSettings(ExtentSettings):
    angle: float = number(60, soft=(-360, 360), unit="deg", winds=True, headline=True, per_copy=True)
    """Angle between the two ends."""
    along: str = choice("x", tuple(WAYS), headline=True)
    """The direction that is bent."""


def bend(points, weights, settings) -> np.ndarray:
    """Roll points along an arc, keeping their length; the middle stays where it is.

    points   (N, 3) float32, scene units; not changed
    weights  (N,) float32 in 0..1, from the step's field
    Returns  (N, 3) float32
    Source   A. H. Barr, "Global and local deformations of solid primitives", SIGGRAPH 1984
    """
    total = np.radians(settings.angle)
    is_straight = np.abs(total) < 1e-6
    if np.all(is_straight) or not len(points):
        return points
    extent = Extent.of(points, settings)
    along, towards = WAYS[settings.along]
    distance, within, middle, length = extent.along(AXES[along])
    if length <= 0:
        return points
    # Angles of their own may be so small that only long numbers tell such a large circle from a line.
    radius = np.float32(length / total) if np.ndim(total) == 0 else length / np.where(is_straight, 1e-6, total)
    angle = within / radius * weights
    # Beyond the ends, and where a field holds the bend back, what is not rolled goes on straight along the tangent.
    straight = distance - angle * radius
    reach = radius - extent.points[:, towards]
    bent = extent.points.copy()
    bent[:, along] = np.float32(middle) + np.sin(angle) * reach + np.cos(angle) * straight
    bent[:, towards] = radius - np.cos(angle) * reach + np.sin(angle) * straight
    still = np.broadcast_to(is_straight, len(bent))
    bent[still] = extent.points[still]
    return extent.back(bent)


KIND = Kind(
    "bend", "deform", BendSettings, bend, "Bend **{angle}** along **{along}**", icon="bend", words="curl arc roll fold"
)
