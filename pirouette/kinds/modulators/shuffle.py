"""A random change for each copy."""

import numpy as np

from ...data import Copies
from ...data.vary import numbers_per_copy, vary, vectors_per_copy
from ...schema import Kind, Settings, integer, number, vector
from ...values.functions import rand


class ShuffleSettings(Settings):
    place: list = vector((0, 0, 0), headline=True, per_copy=True)
    """Furthest change of the position, either way."""
    turn: list = vector((0, 0, 30), soft=(-180, 180), unit="deg", headline=True, per_copy=True)
    """Furthest turn, either way."""
    size: float = number(0, soft=(0, 1), per_copy=True)
    """Furthest change of the size, either way, as a share of it."""
    seed: int = integer(1, soft=(0, 100), hard=(0, 2**31 - 1), headline=True)
    """Another seed is another shuffle."""


def shuffle(copies, weights, settings) -> Copies:
    """Move, turn and resize each copy by chance.

    weights  (N,) 0..1, how much of the change each copy gets
    Returns  the copies, changed; a copy's chance follows from the seed and its index alone
    """
    index = np.arange(copies.count)
    chance = [
        (2 * rand(index + 1 + channel * 0.137 + settings.seed * 1_000_003.0) - 1).astype(np.float32)
        for channel in range(7)
    ]
    return vary(
        copies,
        place=vectors_per_copy(settings.place, weights) * np.stack(chance[:3], axis=1),
        turn=vectors_per_copy(settings.turn, weights) * np.stack(chance[3:6], axis=1),
        size=1 + numbers_per_copy(settings.size, weights) * chance[6][:, None],
    )


KIND = Kind("shuffle", "modulate", ShuffleSettings, shuffle, "Shuffle by **{place}**, turn **{turn}**, seed **{seed}**")
