"""A straight shape rolled along an arc."""

import numpy as np

from ...schema import Kind, Settings, choice, number

# axis of length, axis towards which it bends
WAYS = {"x": (0, 2), "y": (1, 2), "z": (2, 1)}


class BendSettings(Settings):
    angle: float = number(60, soft=(-360, 360), unit="deg", winds=True, headline=True)
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
    along, towards = WAYS[settings.along]
    low, high = points[:, along].min(), points[:, along].max()
    total = np.radians(settings.angle)
    if high <= low or abs(total) < 1e-6:
        return points
    radius = np.float32((high - low) / total)
    angle = (points[:, along] - (low + high) / 2) / radius * weights
    # Where a field holds the bend back, what is not rolled goes on straight along the tangent.
    straight = points[:, along] - (low + high) / 2 - angle * radius
    reach = radius - points[:, towards]
    bent = points.copy()
    bent[:, along] = (low + high) / 2 + np.sin(angle) * reach + np.cos(angle) * straight
    bent[:, towards] = radius - np.cos(angle) * reach + np.sin(angle) * straight
    return bent


KIND = Kind("bend", "deform", BendSettings, bend, "Bend **{angle}** along **{along}**", icon="bend")
