"""A noise in space and time that carries the copies about."""

import numpy as np

from ...data import Copies
from ...data.vary import numbers_per_copy, vary, vectors_per_copy
from ...schema import Kind, NoiseSettings, number, sample_noise, sample_noise_vectors, vector


class DriftSettings(NoiseSettings):
    place: list = vector((20, 20, 20), headline=True, per_copy=True)
    """Furthest change of the position."""
    turn: list = vector((0, 0, 0), soft=(-360, 360), unit="deg", headline=True, per_copy=True)
    """Furthest turn."""
    grow: float = number(0, soft=(0, 1), per_copy=True)
    """Furthest change of the size, as a share of it."""


def drift(copies, weights, settings, moment) -> Copies:
    """Move, turn and resize copies by noise at their places.

    weights  (N,) 0..1, how much of the change each copy gets
    Returns  the copies, changed
    """
    place = turn = size = None
    if np.any(settings.place):
        place = vectors_per_copy(settings.place, weights) * sample_noise_vectors(copies.position, settings, moment)
    if np.any(settings.turn):
        # Turned places are sampled elsewhere, or moving and turning would go in step.
        elsewhere = copies.position + np.float32(settings.size * 7.3)
        turn = vectors_per_copy(settings.turn, weights) * sample_noise_vectors(elsewhere, settings, moment)
    if np.any(settings.grow):
        size = (
            1 + numbers_per_copy(settings.grow, weights) * sample_noise(copies.position, settings, moment, 9)[:, None]
        )
    return vary(copies, place, turn, size)


KIND = Kind("drift", "modulate", DriftSettings, drift, "Drift by **{place}**, turn **{turn}**, noise **{size}** wide")
