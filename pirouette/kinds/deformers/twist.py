"""A turn that grows along an axis."""

import numpy as np

from ...craft.extent import AXES, Extent, ExtentSettings
from ...schema import Kind, choice, number


class TwistSettings(ExtentSettings):
    angle: float = number(90, soft=(-720, 720), unit="deg", winds=True, headline=True, per_copy=True)
    """Turn from one end of the shape to the other."""
    axis: str = choice("y", AXES, headline=True)
    """Axis the points turn about."""


def twist(points, weights, settings) -> np.ndarray:
    """Turn points about an axis by an angle that grows along it.

    points   (N, 3) float32, scene units; not changed
    weights  (N,) float32 in 0..1, from the step's field
    Returns  (N, 3) float32
    Source   A. H. Barr, "Global and local deformations of solid primitives", SIGGRAPH 1984
    """
    if not len(points):
        return points
    extent = Extent.of(points, settings)
    axis = AXES.index(settings.axis)
    first, second = (axis + 1) % 3, (axis + 2) % 3
    _, within, _, length = extent.along(settings.axis)
    share = within / np.float32(length) if length > 0 else np.zeros_like(within)
    angle = np.radians(np.float32(settings.angle)) * share * weights
    cosine, sine = np.cos(angle), np.sin(angle)
    turned = extent.points.copy()
    turned[:, first] = extent.points[:, first] * cosine - extent.points[:, second] * sine
    turned[:, second] = extent.points[:, first] * sine + extent.points[:, second] * cosine
    return extent.back(turned)


KIND = Kind(
    "twist",
    "deform",
    TwistSettings,
    twist,
    "Twist **{angle}** about **{axis}**",
    icon="twist",
    words="turn screw wring spiral rotate spin",
)
