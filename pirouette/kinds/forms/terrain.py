"""A landscape of noise, flat or wrapped on a ball, cut off at a level."""

import numpy as np

from ...craft import NoiseSettings, in_its_space, sample_noise
from ...data import Mesh, Topology
from ...data.faces import grid_faces
from ...geometry.revolve import bow, revolve
from ...schema import Kind, choice, integer, number


class TerrainSettings(NoiseSettings):
    form: str = choice("flat", ("flat", "round"), headline=True)
    """A square plain, or a ball."""
    width: float = number(200, soft=(1, 1000), hard=(1e-3, None))
    """How wide the plain or the ball is."""
    parts: int = integer(100, soft=(3, 400), hard=(3, 4000), headline=True)
    """Faces along each side of the plain, or around half the ball."""
    height: float = number(30, soft=(-100, 100), headline=True)
    """From the middle height to the highest peaks."""
    level: float = number(-1, soft=(-1, 1), headline=True)
    """What lies lower than this, from -1 for the deepest to 1 for the highest, is filled up to it."""
    top: float = number(1, soft=(-1, 1))
    """What lies higher than this is cut off."""
    detail: int = integer(4, soft=(1, 8), hard=(1, 10))
    """How many layers of ever finer features are added up (octaves)."""


def terrain(settings, moment, links) -> Mesh:
    """Make a landscape whose heights are a noise between two levels.

    Returns a Mesh; flat it faces y, round it is closed
    """
    if settings.form == "round":
        radius = settings.width / 2
        ball = revolve([bow((0, 0), radius, 90, -90, settings.parts)], settings.parts * 2)
        heights = _heights(ball.points, settings, moment, links)
        return ball.with_points(ball.points + ball.known_normals * heights[:, None])
    parts = settings.parts
    u, v = np.meshgrid(np.linspace(0, 1, parts + 1), np.linspace(0, 1, parts + 1))
    uvs = np.stack([u.ravel(), v.ravel()], axis=1)
    points = np.zeros((len(uvs), 3), np.float32)
    # From left to right along z, upwards along x: so the faces turn towards y.
    points[:, 2] = (uvs[:, 0] - 0.5) * settings.width
    points[:, 0] = (uvs[:, 1] - 0.5) * settings.width
    points[:, 1] = _heights(points, settings, moment, links)
    topology = Topology.of_faces(grid_faces(parts, parts), len(points))
    return Mesh(points, topology, known_uvs=uvs[topology.corners])


def _heights(points, settings, moment, links):
    low, high = min(settings.level, settings.top), max(settings.level, settings.top)
    return np.clip(sample_noise(in_its_space(points, links), settings, moment), low, high) * np.float32(settings.height)


KIND = Kind(
    "terrain",
    "form",
    TerrainSettings,
    terrain,
    "Terrain, **{form}**, **{parts}** parts, **{height}** high, filled up to **{level}**",
    estimate=lambda settings: 2 * (settings.parts + 1) ** 2,
    version=2,
    icon="terrain",
    words="landscape mountains hills dunes ground noise",
)
