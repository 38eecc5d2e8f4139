"""A cylinder with round ends."""

import numpy as np

from ...data import Mesh
from ...geometry.revolve import bow, revolve, straight
from ...schema import Kind, Settings, integer, number


class CapsuleSettings(Settings):
    radius: float = number(25, soft=(1, 300), hard=(1e-3, None), headline=True)
    """Radius of the wall and of both ends."""
    height: float = number(100, soft=(1, 500), hard=(1e-3, None), headline=True)
    """Size along y, its ends included; never less than twice the radius."""
    segments: int = integer(48, soft=(3, 200), hard=(3, 10_000), headline=True)
    """Faces around."""
    rings: int = integer(8, soft=(1, 60), hard=(1, 2000))
    """Faces from the wall to each pole."""
    rows: int = integer(4, soft=(1, 100), hard=(1, 10_000))
    """Faces along the wall."""


def capsule(settings) -> Mesh:
    """Make a closed capsule around the y axis.

    Returns a Mesh that is smooth all over
    """
    radius = settings.radius
    half = max(settings.height / 2 - radius, 0)
    top = bow((0, half), radius, 90, 0, settings.rings)
    foot = bow((0, -half), radius, 0, -90, settings.rings)
    wall = straight((radius, half), (radius, -half), settings.rows)[1:-1] if half > 0 else np.zeros((0, 2))
    profile = np.concatenate([top, wall, foot if half > 0 else foot[1:]])
    return revolve([profile], settings.segments)


KIND = Kind(
    "capsule",
    "form",
    CapsuleSettings,
    capsule,
    "Capsule of radius **{radius}**, **{height}** high, **{segments}** segments",
    estimate=lambda settings: settings.segments * (2 * settings.rings + settings.rows + 2) + 2,
    icon="capsule",
    words="pill lozenge bead",
)
