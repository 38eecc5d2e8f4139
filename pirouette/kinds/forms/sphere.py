"""A ball of rings and segments around the origin."""

import numpy as np

from ...data import Mesh, Topology
from ...schema import Kind, Settings, integer, number


class SphereSettings(Settings):
    radius: float = number(50, soft=(1, 300), hard=(0, None), headline=True)
    """From the middle to the surface."""
    rings: int = integer(24, soft=(3, 200), hard=(2, 5000), headline=True)
    """Bands of faces from pole to pole."""
    segments: int = integer(48, soft=(3, 400), hard=(3, 10_000), headline=True)
    """Faces around each ring."""


def sphere(settings) -> Mesh:
    """Make a closed sphere with a single point at each pole, its axis along y.

    Returns a Mesh of (rings - 1) * segments + 2 points with exact normals
    """
    rings, segments = settings.rings, settings.segments
    polar = np.pi * np.arange(1, rings) / rings
    around = 2 * np.pi * np.arange(segments) / segments
    band = np.stack(
        [
            np.outer(np.sin(polar), np.sin(around)),
            np.repeat(np.cos(polar)[:, None], segments, axis=1),
            np.outer(np.sin(polar), np.cos(around)),
        ],
        axis=-1,
    ).reshape(-1, 3)
    directions = np.concatenate([[[0, 1, 0]], band, [[0, -1, 0]]]).astype(np.float32)

    column = np.arange(segments)
    right = (column + 1) % segments
    last = len(directions) - 1
    top = np.stack([np.zeros_like(column), 1 + column, 1 + right], axis=1)
    starts = 1 + np.arange(rings - 2)[:, None] * segments
    quads = np.stack(
        [starts + column, starts + segments + column, starts + segments + right, starts + right], axis=-1
    ).reshape(-1, 4)
    foot = 1 + (rings - 2) * segments
    bottom = np.stack([foot + column, np.full_like(column, last), foot + right], axis=1)
    sizes = np.concatenate([np.full(segments, 3), np.full(len(quads), 4), np.full(segments, 3)])
    corners = np.concatenate([top.ravel(), quads.ravel(), bottom.ravel()])
    topology = Topology(np.concatenate([[0], np.cumsum(sizes)]), corners, len(directions))
    return Mesh(directions * np.float32(settings.radius), topology, known_normals=directions)


KIND = Kind(
    "sphere",
    "form",
    SphereSettings,
    sphere,
    "Sphere of radius **{radius}**, **{rings}** rings of **{segments}**",
    estimate=lambda settings: (settings.rings - 1) * settings.segments + 2,
)
