"""Faces pushed outward."""

import numpy as np

from ...data import Mesh, sources_of
from ...geometry.push import pushed_apart, pushed_together
from ...schema import Kind, Settings, choice, number

WAYS = ("one by one", "together")


class ExtrudeSettings(Settings):
    distance: float = number(12, soft=(-60, 60), headline=True, per_copy=True)
    """How far faces go along their normals; below 0 they go inward."""
    ways: str = choice("one by one", WAYS, headline=True)
    """Each face by itself on walls of its own, or all together with walls only where they end."""
    inset: float = number(0.15, soft=(0, 0.9), hard=(0, 1), headline=True, per_copy=True)
    """How much smaller their tops are: the share of the way to the middle that corners, or those of the rim, go."""


def extrude(mesh, weights, settings) -> Mesh:
    """Push faces outward, one by one or together, with walls around them and a smaller top if wanted.

    weights  (V,) 0..1 from the step's field: faces go by the mean of their corners' if one by one; together, those
             go that have at least one half
    Returns  a Mesh, closed if it was
    """
    topology = mesh.topology
    if not topology.face_count:
        return mesh
    face = np.repeat(np.arange(topology.face_count), topology.sizes)
    sizes = np.maximum(topology.sizes, 1)
    mean = lambda row: np.bincount(face, row[topology.corners], topology.face_count) / sizes  # noqa: E731
    each = lambda value: np.broadcast_to(np.asarray(value, np.float64), len(mesh.points))  # noqa: E731
    share = mean(weights.astype(np.float64))
    if settings.ways == "one by one":
        return pushed_apart(mesh, mean(each(settings.distance)) * share, mean(each(settings.inset)) * (share > 0))
    return pushed_together(mesh, share >= 0.5, each(settings.distance), each(settings.inset))


def estimate(shape) -> int:
    """How many points there will be at most: those there are, those of tops, and four for each wall."""
    return sum(2 * len(mesh.points) + 5 * len(mesh.topology.corners) for mesh in sources_of(shape))


def advice(shape, settings, links) -> str:
    return (
        "" if any(m.topology.face_count for m in sources_of(shape)) else "there are no faces to push; begin with some"
    )


KIND = Kind(
    "extrude",
    "build",
    ExtrudeSettings,
    extrude,
    "Extrude faces **{ways}** by **{distance}**, tops inset by **{inset}**",
    estimate=estimate,
    advice=advice,
    icon="extrude",
    words="thicken push depth solid bevel",
)
