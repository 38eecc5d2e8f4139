"""A circle, or an arc of one."""

import numpy as np

from ...data import Mesh
from ...schema import Kind, Settings, choice, integer, number

# The two axes that a circle facing each axis runs through, the first one first.
ACROSS = {"x": (1, 2), "y": (2, 0), "z": (0, 1)}


class CircleSettings(Settings):
    radius: float = number(50, soft=(1, 300), hard=(1e-3, None), headline=True)
    """From the middle to the line."""
    points: int = integer(64, soft=(3, 200), hard=(3, 100_000), headline=True)
    """Points around."""
    arc: float = number(360, soft=(1, 360), hard=(-360, 360), unit="deg", winds=True, headline=True)
    """How much of the round there is."""
    start: float = number(0, soft=(-180, 180), unit="deg")
    """Where it begins."""
    facing: str = choice("z", tuple(ACROSS))
    """The axis it faces."""


def circle(settings) -> Mesh:
    """Make a circle of evenly spaced points around the origin.

    Returns a Mesh of one curve, closed if it is whole
    """
    is_whole = abs(settings.arc) >= 360
    share = np.arange(settings.points) / (settings.points if is_whole else settings.points - 1)
    angles = np.radians(settings.start + settings.arc * share)
    first, second = ACROSS[settings.facing]
    points = np.zeros((settings.points, 3))
    points[:, first], points[:, second] = settings.radius * np.cos(angles), settings.radius * np.sin(angles)
    return Mesh.curves(points, [len(points)], is_whole)


KIND = Kind(
    "circle", "form", CircleSettings, circle, "Circle of radius **{radius}**, **{points}** points, **{arc}** round",
    estimate=lambda settings: settings.points, icon="circle",
    words="curve ring loop round arc",
)  # fmt: skip
