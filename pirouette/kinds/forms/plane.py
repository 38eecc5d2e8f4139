"""A flat rectangle of quads around the origin."""

import numpy as np

from ...data import Mesh, Topology
from ...data.faces import grid_faces
from ...schema import Kind, Settings, choice, integer, number

FACINGS = ("x", "y", "z")


class PlaneSettings(Settings):
    width: float = number(100, soft=(1, 1000), hard=(0, None), headline=True)
    """Size from left to right."""
    height: float = number(100, soft=(1, 1000), hard=(0, None), headline=True)
    """Size from bottom to top."""
    across: int = integer(10, soft=(1, 200), hard=(1, 10_000), headline=True)
    """Faces from left to right."""
    up: int = integer(10, soft=(1, 200), hard=(1, 10_000), headline=True)
    """Faces from bottom to top."""
    facing: str = choice("z", FACINGS)
    """The axis it faces; y lies flat like water."""


def plane(settings) -> Mesh:
    """Make a flat grid of quads.

    Returns a Mesh of (across + 1) * (up + 1) points, with normals along `facing` and texture coordinates
    """
    u, v = np.meshgrid(np.linspace(0, 1, settings.across + 1), np.linspace(0, 1, settings.up + 1))
    uvs = np.stack([u.ravel(), v.ravel()], axis=1)
    flat = np.zeros((len(uvs), 3), np.float32)
    # Each pair of axes is ordered so that faces turn counter-clockwise seen from the facing side.
    first, second, facing = {"z": (0, 1, 2), "y": (2, 0, 1), "x": (1, 2, 0)}[settings.facing]
    flat[:, first] = (uvs[:, 0] - 0.5) * settings.width
    flat[:, second] = (uvs[:, 1] - 0.5) * settings.height
    normals = np.zeros_like(flat)
    normals[:, facing] = 1
    topology = Topology.of_faces(grid_faces(settings.across, settings.up), len(flat))
    return Mesh(flat, topology, known_uvs=uvs[topology.corners], known_normals=normals)


KIND = Kind(
    "plane",
    "form",
    PlaneSettings,
    plane,
    "Plane **{width}** by **{height}**, **{across}** × **{up}** parts",
    estimate=lambda settings: (settings.across + 1) * (settings.up + 1),
    icon="square",
    words="grid sheet floor wall square rectangle quad paper",
)
