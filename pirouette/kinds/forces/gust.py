"""Turbulence that pushes points about without gathering them anywhere."""

import numpy as np

from ...craft import NoiseSettings, in_its_space, sample_curl
from ...kernels.geometry.place import carried
from ...schema import Kind, number
from ...schema.kind import PUSHES


class GustSettings(NoiseSettings):
    strength: float = number(120, soft=(0, 500), headline=True, per_copy=True)
    """How hard it pushes, in units per second, each second."""


def gust(places, weights, settings, moment, links) -> np.ndarray:
    """Push points this way and that by a noise that flows: what streams into a place streams out of it again.

    places   (N, 3) float32; weights (N,) from the force's field
    Returns  (N, 3) float32, by how much the speed changes each second
    """
    push = sample_curl(in_its_space(places, links), settings, moment)
    if "lives_in" in links:
        turn = links["lives_in"].matrix.copy()
        # Its strength stays as it is said, however large the space is that it lives in.
        turn[:3, :3] /= max(abs(np.linalg.det(turn[:3, :3])) ** (1 / 3), 1e-12)
        turn[:3, 3] = 0
        push = carried(push, turn)
    return push * np.asarray(settings.strength * weights, np.float32)[:, None]


KIND = Kind(
    "gust",
    "force",
    GustSettings,
    gust,
    "Pushed by a gust of **{strength}**, **{size}** wide",
    acts=PUSHES,
    version=2,
    icon="gust",
    words="wind turbulence noise air blow",
)
