"""A turn that grows along an axis."""

import numpy as np

from ...schema import Kind, Settings, choice, number


class TwistSettings(Settings):
    angle: float = number(90, soft=(-720, 720), unit="deg", winds=True, headline=True)
    """Turn from one end of the shape to the other."""
    axis: str = choice("y", ("x", "y", "z"), headline=True)
    """Axis the points turn about."""


def twist(points, weights, settings) -> np.ndarray:
    """Turn points about an axis by an angle that grows along it.

    points   (N, 3) float32, scene units; not changed
    weights  (N,) float32 in 0..1, from the step's field
    Returns  (N, 3) float32
    Source   A. H. Barr, "Global and local deformations of solid primitives", SIGGRAPH 1984
    """
    axis = "xyz".index(settings.axis)
    first, second = (axis + 1) % 3, (axis + 2) % 3
    along = points[:, axis]
    low, high = along.min(), along.max()
    share = (along - low) / (high - low) - 0.5 if high > low else np.zeros_like(along)
    angle = np.radians(settings.angle).astype(np.float32) * share * weights
    cosine, sine = np.cos(angle), np.sin(angle)
    turned = points.copy()
    turned[:, first] = points[:, first] * cosine - points[:, second] * sine
    turned[:, second] = points[:, first] * sine + points[:, second] * cosine
    return turned


KIND = Kind("twist", "deform", TwistSettings, twist, "Twist **{angle}** about **{axis}**", icon="twist")
