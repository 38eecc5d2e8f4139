"""A flat disc; with a hole it is a ring, with an arc a sector."""

from dataclasses import replace

import numpy as np

from ...data import Mesh
from ...geometry.revolve import revolve, straight
from ...schema import Kind, Settings, choice, integer, number


class DiscSettings(Settings):
    radius: float = number(50, soft=(1, 300), hard=(1e-3, None), headline=True)
    """From the middle to the rim."""
    hole: float = number(0, soft=(0, 300), hard=(0, None), headline=True)
    """Radius of the hole."""
    segments: int = integer(48, soft=(3, 200), hard=(3, 10_000), headline=True)
    """Faces around."""
    rings: int = integer(4, soft=(1, 40), hard=(1, 5000))
    """Faces from the middle to the rim."""
    arc: float = number(360, soft=(1, 360), hard=(0.1, 360), unit="deg", winds=True, headline=True)
    """How much of the round there is."""
    facing: str = choice("z", ("x", "y", "z"))
    """The axis it faces; y lies flat."""


def disc(settings) -> Mesh:
    """Make a flat disc.

    Returns a Mesh that faces along `facing`, with texture coordinates across it
    """
    hole = min(settings.hole, settings.radius * 0.9999)
    mesh = revolve([straight((hole, 0), (settings.radius, 0), settings.rings)], settings.segments, settings.arc)
    # Turned, not mirrored: each axis takes the place of another in the same order.
    axes = {"y": [0, 1, 2], "z": [1, 2, 0], "x": [2, 0, 1]}[settings.facing]
    turned, normals = np.empty_like(mesh.points), np.empty_like(mesh.points)
    turned[:, axes], normals[:, axes] = mesh.points, mesh.known_normals
    flat = mesh.points[:, [0, 2]] / (2 * settings.radius) + 0.5
    return replace(mesh, points=turned, known_normals=normals, known_uvs=np.clip(flat, 0, 1)[mesh.topology.corners])


KIND = Kind(
    "disc",
    "form",
    DiscSettings,
    disc,
    "Disc of radius **{radius}**, hole **{hole}**, **{arc}** of the round",
    estimate=lambda settings: (settings.segments + 1) * (settings.rings + 1),
    icon="disc",
    words="circle plate coin ring washer",
)
