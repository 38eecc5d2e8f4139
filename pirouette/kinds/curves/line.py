"""A straight line."""

import numpy as np

from ...data import Mesh
from ...schema import Kind, Settings, integer, vector


class LineSettings(Settings):
    start: list = vector((-50, 0, 0), soft=(-300, 300), headline=True)
    """Where it begins."""
    end: list = vector((50, 0, 0), soft=(-300, 300), headline=True)
    """Where it ends."""
    points: int = integer(2, soft=(2, 100), hard=(2, 100_000), headline=True)
    """Points along it, both ends among them."""


def line(settings) -> Mesh:
    """Make a straight line of evenly spaced points.

    Returns a Mesh of one open curve
    """
    share = np.linspace(0, 1, settings.points)[:, None]
    return Mesh.curves(np.asarray(settings.start) * (1 - share) + np.asarray(settings.end) * share, [len(share)], False)


KIND = Kind(
    "line", "form", LineSettings, line, "Line from **{start}** to **{end}**, **{points}** points",
    estimate=lambda settings: settings.points, icon="line",
    words="curve segment straight string",
)  # fmt: skip
