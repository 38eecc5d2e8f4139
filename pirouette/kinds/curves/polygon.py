"""A polygon, or a star."""

import numpy as np

from ...data import Mesh
from ...geometry.curve import resampled
from ...schema import Kind, Settings, choice, integer, number

ACROSS = {"x": (1, 2), "y": (2, 0), "z": (0, 1)}


class PolygonSettings(Settings):
    radius: float = number(50, soft=(1, 300), hard=(1e-3, None), headline=True)
    """From the middle to the corners."""
    sides: int = integer(6, soft=(3, 24), hard=(3, 10_000), headline=True)
    """How many corners, or rays of a star, there are."""
    inner: float = number(1, soft=(0.05, 1), hard=(0, None), headline=True)
    """A star's inner corners, as a share of the radius; 1 is a plain polygon."""
    points: int = integer(1, soft=(1, 40), hard=(1, 1000))
    """Points along each side."""
    start: float = number(90, soft=(-180, 180), unit="deg")
    """Where the first corner is."""
    facing: str = choice("z", tuple(ACROSS))
    """The axis it faces."""


def polygon(settings) -> Mesh:
    """Make a polygon or star around the origin.

    Returns a Mesh of one closed curve, each side with evenly spaced points
    """
    is_star = settings.inner != 1
    count = settings.sides * (2 if is_star else 1)
    angles = np.radians(settings.start) + 2 * np.pi * np.arange(count) / count
    radii = np.full(count, settings.radius)
    if is_star:
        radii[1::2] *= settings.inner
    corners = np.stack([radii * np.cos(angles), radii * np.sin(angles), np.zeros(count)], axis=1)
    ends = np.roll(corners, -1, axis=0)
    sides = [resampled(np.stack([a, b]), False, settings.points + 1)[:-1] for a, b in zip(corners, ends, strict=True)]
    flat = np.concatenate(sides)
    first, second = ACROSS[settings.facing]
    points = np.zeros_like(flat)
    points[:, first], points[:, second] = flat[:, 0], flat[:, 1]
    return Mesh.curves(points, [len(points)], True)


KIND = Kind(
    "polygon", "form", PolygonSettings, polygon, "Polygon of **{sides}** sides, radius **{radius}**, inner **{inner}**",
    estimate=lambda settings: settings.sides * 2 * settings.points, icon="polygon",
    words="star triangle hexagon curve",
)  # fmt: skip
