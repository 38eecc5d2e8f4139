"""A pyramid on a base of straight sides."""

import numpy as np

from ...data import Mesh, Topology
from ...geometry import laid
from ...schema import Kind, Settings, integer, number


class PyramidSettings(Settings):
    radius: float = number(60, soft=(1, 300), hard=(1e-3, None), headline=True)
    """From the axis to the corners of the base."""
    height: float = number(100, soft=(1, 500), hard=(1e-3, None), headline=True)
    """Size along y."""
    sides: int = integer(4, soft=(3, 12), hard=(3, 1000), headline=True)
    """How many sides the base has."""
    parts: int = integer(1, soft=(1, 40), hard=(1, 1000))
    """Faces along each edge."""


def pyramid(settings) -> Mesh:
    """Make a closed pyramid around the y axis, its middle halfway up at the origin, as that of a cone.

    Returns a Mesh drawn with flat faces
    """
    sides, parts = settings.sides, settings.parts
    angles = 2 * np.pi * (np.arange(sides) + 0.5) / sides
    corners = np.column_stack([np.sin(angles), np.zeros(sides), np.cos(angles)]) * settings.radius
    corners[:, 1] = -settings.height / 2
    around = sides * parts
    steps = np.arange(around)
    share = ((steps % parts) / parts)[:, None]
    rim = corners[steps // parts] * (1 - share) + corners[(steps // parts + 1) % sides] * share
    tip, middle = np.array([0, settings.height / 2, 0]), np.array([0, -settings.height / 2, 0])
    levels = np.arange(1, parts + 1)[:, None, None] / parts
    wall = tip + (rim - tip) * levels
    base = middle + (rim - middle) * (1 - levels[:-1])
    points = np.concatenate([tip[None], wall.reshape(-1, 3), base.reshape(-1, 3), middle[None]])
    right = (steps + 1) % around
    rings = 1 + np.arange(2 * parts - 1)[:, None] * around
    fan = np.stack([np.zeros_like(steps), 1 + steps, 1 + right], axis=1)
    upper, lower = rings[:-1], rings[1:]
    quads = np.stack([upper + steps, lower + steps, lower + right, upper + right], axis=-1).reshape(-1, 4)
    last = rings[-1]
    foot = np.stack([last + steps, np.full_like(steps, len(points) - 1), last + right], axis=1)
    sizes = np.concatenate([np.full(around, 3), np.full(len(quads), 4), np.full(around, 3)])
    topology = Topology(
        np.concatenate([[0], np.cumsum(sizes)]),
        np.concatenate([fan.ravel(), quads.ravel(), foot.ravel()]),
        len(points),
    )
    return Mesh(points, topology, known_uvs=laid.around_faces(points, topology, 1), is_flat=True)


KIND = Kind(
    "pyramid",
    "form",
    PyramidSettings,
    pyramid,
    "Pyramid of radius **{radius}**, **{height}** high, **{sides}** sides",
    estimate=lambda settings: 2 * settings.sides * settings.parts**2 + 2,
    icon="pyramid",
    words="spike tent spire",
)
