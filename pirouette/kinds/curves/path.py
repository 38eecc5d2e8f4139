"""A curve through points of one's own, with handles."""

import numpy as np

from ...data import Mesh
from ...geometry.curve import resampled
from ...schema import Kind, Settings, choice, integer, nodes, switch

START = [
    {"at": [-60, -20, 0], "leave": [25, 40, 0]},
    {"at": [0, 20, 0], "arrive": [-25, 0, 0], "leave": [25, 0, 0]},
    {"at": [60, -20, 0], "arrive": [-25, 40, 0]},
]
FINE = 24


class PathSettings(Settings):
    nodes: list = nodes(START)
    """Its points; those with handles are smooth, those without are corners. They are moved in the view."""
    closed: bool = switch(False, headline=True)
    """Lead the end back to the beginning."""
    points: int = integer(60, soft=(2, 500), hard=(2, 100_000), headline=True)
    """Points along the curve."""
    spaced: str = choice("evenly", ("evenly", "by its points"))
    """Even by arc length all along, or equally many from each of its points to the next."""


def path(settings) -> Mesh:
    """Make a curve of cubic stretches from point to point.

    Returns a Mesh of one curve
    """
    at, arrive, leave = settings.nodes[:, :3], settings.nodes[:, 3:6], settings.nodes[:, 6:]
    count = len(at)
    stretches = count if settings.closed and count > 1 else count - 1
    if stretches < 1:
        return Mesh.curves(at, [count], False)
    by_node = settings.spaced == "by its points"
    steps = max(-(-settings.points // stretches), 1) if by_node else FINE
    t = (np.arange(steps) / steps)[:, None]
    parts = []
    for k in range(stretches):
        following = (k + 1) % count
        a, b, c, d = at[k], at[k] + leave[k], at[following] + arrive[following], at[following]
        parts.append((1 - t) ** 3 * a + 3 * (1 - t) ** 2 * t * b + 3 * (1 - t) * t * t * c + t**3 * d)
    if not settings.closed:
        parts.append(at[-1:])
    points = np.concatenate(parts)
    if not by_node:
        points = resampled(points, settings.closed, settings.points)
    return Mesh.curves(points, [len(points)], settings.closed)


KIND = Kind(
    "path", "form", PathSettings, path, "Path of **{points}** points, closed **{closed}**",
    estimate=lambda settings: max(settings.points * 2, len(settings.nodes) * FINE), icon="path")  # fmt: skip
