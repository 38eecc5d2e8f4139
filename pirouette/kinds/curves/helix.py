"""A line that winds about an axis."""

import numpy as np

from ...data import Mesh
from ...geometry.curve import resampled
from ...schema import Kind, Settings, choice, integer, number

ACROSS = {"x": (1, 2), "y": (2, 0), "z": (0, 1)}
FINE = 8


class HelixSettings(Settings):
    radius: float = number(40, soft=(0, 300), headline=True)
    """From the axis to its beginning."""
    end_radius: float = number(40, soft=(0, 300))
    """From the axis to its end; another one makes a spiral."""
    height: float = number(100, soft=(-300, 300), headline=True)
    """From its beginning to its end, along the axis."""
    turns: float = number(3, soft=(-20, 20), headline=True)
    """How often it goes round."""
    points: int = integer(120, soft=(2, 500), hard=(2, 100_000), headline=True)
    """Points along it."""
    axis: str = choice("y", tuple(ACROSS))
    """The axis it winds about."""


def helix(settings) -> Mesh:
    """Make a helix or spiral of points that are even by arc length.

    Returns a Mesh of one open curve, its middle at the origin
    """
    share = np.linspace(0, 1, settings.points * FINE)
    angles = 2 * np.pi * settings.turns * share
    radii = settings.radius + (settings.end_radius - settings.radius) * share
    first, second = ACROSS[settings.axis]
    points = np.zeros((len(share), 3))
    points[:, first], points[:, second] = radii * np.cos(angles), radii * np.sin(angles)
    points[:, "xyz".index(settings.axis)] = (share - 0.5) * settings.height
    return Mesh.curves(resampled(points, False, settings.points), [settings.points], False)


KIND = Kind(
    "helix", "form", HelixSettings, helix, "Helix of **{turns}** turns, radius **{radius}**, **{height}** high",
    estimate=lambda settings: settings.points * FINE, icon="helix",
    words="spiral spring coil screw curve",
)  # fmt: skip
