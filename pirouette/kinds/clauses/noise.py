"""A noise as a weight."""

import numpy as np

from ...craft import NoiseSettings, in_its_space, sample_noise, sample_noise_vectors
from ...kernels.geometry.place import unit_rows
from ...schema import Kind, number


class NoiseClauseSettings(NoiseSettings):
    level: float = number(0.5, soft=(0, 1), headline=True)
    """The weight where the noise is in its middle."""
    contrast: float = number(1, soft=(0, 4), hard=(0, None), headline=True)
    """How strongly the weight follows the noise."""


def noise(points, settings, moment, links) -> np.ndarray:
    """Weigh points by a noise at their places.

    points   (N, 3) float32, in the clause's space
    Returns  (N,) float32 in 0..1
    """
    amount = sample_noise(in_its_space(points, links), settings, moment) * np.float32(0.5 * settings.contrast)
    return np.clip(np.float32(settings.level) + amount, 0, 1)


def ways(points, settings, moment, links):
    """The noise's own direction at each place, and up."""
    vectors = sample_noise_vectors(in_its_space(points, links), settings, moment)
    along = np.zeros_like(points)
    along[:, 1] = 1
    return unit_rows(vectors), along


KIND = Kind(
    "noise",
    "clause",
    NoiseClauseSettings,
    noise,
    "where noise **{size}** wide is high, level **{level}**, contrast **{contrast}**",
    ways=ways,
    version=2,
    icon="noise",
    words="random turbulence falloff",
)
