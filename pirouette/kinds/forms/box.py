"""A closed box of quads around the origin."""

import numpy as np

from ...data import Mesh, Topology
from ...geometry.laid import on_side
from ...schema import Kind, Settings, integer, number


class BoxSettings(Settings):
    width: float = number(100, soft=(1, 500), hard=(0, None), headline=True)
    """Size along x."""
    height: float = number(100, soft=(1, 500), hard=(0, None), headline=True)
    """Size along y."""
    depth: float = number(100, soft=(1, 500), hard=(0, None), headline=True)
    """Size along z."""
    parts: int = integer(1, soft=(1, 60), hard=(1, 1000), headline=True)
    """Faces along each edge."""


def box(settings) -> Mesh:
    """Make a closed box whose sides share the points of their edges.

    Returns a Mesh of 6 * parts² + 2 points, drawn with flat faces; each side shows a whole picture
    """
    n = settings.parts
    side = n + 1
    a, b = (grid.ravel() for grid in np.meshgrid(np.arange(n), np.arange(n), indexing="ij"))
    faces, uvs = [], []
    for axis in range(3):
        first, second = (axis + 1) % 3, (axis + 2) % 3
        for end in (0, n):
            corners = np.zeros((len(a), 4, 3), np.int64)
            corners[:, :, axis] = end
            turn = ((0, 0), (1, 0), (1, 1), (0, 1)) if end else ((0, 0), (0, 1), (1, 1), (1, 0))
            for k, (da, db) in enumerate(turn):
                corners[:, k, first] = a + da
                corners[:, k, second] = b + db
            uvs.append(on_side(corners / n, axis, 1 if end else -1).reshape(-1, 2))
            faces.append(corners @ np.array([side * side, side, 1]))
    # Corners of sides that meet in a place of the lattice have the same code there, and become one point.
    codes, numbers = np.unique(np.concatenate(faces), return_inverse=True)
    lattice = np.stack([codes // (side * side), codes // side % side, codes % side], axis=1)
    points = (lattice / n - 0.5) * [settings.width, settings.height, settings.depth]
    faces = numbers.reshape(-1, 4)
    return Mesh(points, Topology.of_faces(faces, len(points)), known_uvs=np.concatenate(uvs), is_flat=True)


KIND = Kind(
    "box",
    "form",
    BoxSettings,
    box,
    "Box **{width}** × **{height}** × **{depth}**, **{parts}** parts",
    estimate=lambda settings: 6 * settings.parts**2 + 2,
    icon="box",
    words="cube block brick crate",
)
