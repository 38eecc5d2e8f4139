"""A curve through points of one's own, with handles."""

import numpy as np

from ...craft.hold import held_by_nearest, moves_of
from ...data import Mesh
from ...geometry.curve import resampled
from ...schema import Kind, Settings, choice, integer, nodes, references, switch

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
    held_by: list = references("guides", "figures")
    """The guides that hold its points: each takes along the points that it was nearest to at the first frame."""
    spaced: str = choice("evenly", ("evenly", "by its points"))
    """Even by arc length all along, or equally many from each of its points to the next."""


def path(settings, links, rest) -> Mesh:
    """Make a curve of cubic stretches from point to point.

    rest     asked for so that links know the first frame
    Returns  a Mesh of one curve
    """
    at, arrive, leave = _held(settings, links)
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


def _held(settings, links):
    """(N, 3) points, and their handles relative to them, as far as guides have taken them."""
    at, arrive, leave = settings.nodes[:, :3], settings.nodes[:, 3:6], settings.nodes[:, 6:]
    guides = [link for name, link in links.items() if name.startswith("held_by/")]
    if not guides:
        return at, arrive, leave
    away = np.stack([np.linalg.norm(at - guide.first[:3, 3], axis=1) for guide in guides], axis=1)
    moves = np.stack(moves_of(guides))[held_by_nearest(away).argmax(axis=1)]
    turned = lambda rows: np.einsum("nij,nj->ni", moves[:, :3, :3], rows)  # noqa: E731
    return turned(at) + moves[:, :3, 3], turned(arrive), turned(leave)


KIND = Kind(
    "path", "form", PathSettings, path, "Path of **{points}** points, closed **{closed}**",
    estimate=lambda settings: max(settings.points * 2, len(settings.nodes) * FINE), icon="path",
    words="bezier curve spline draw pen nodes",
)  # fmt: skip
