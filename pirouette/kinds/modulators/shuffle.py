"""A random change for each copy."""

import numpy as np

from ...craft import ChannelSettings, change_of
from ...craft.vary import changed
from ...data import Copies
from ...schema import Kind, Resolved, integer, number, vector
from ...values.functions import chances

CHANNEL_NUMBERS = {"place": 0, "turn": 3, "size": 6, "colour": 7, "opacity": 8, "time": 9}


class ShuffleSettings(ChannelSettings):
    turn: list = vector((0, 0, 30), soft=(-180, 180), unit="deg", winds=True, headline=True, per_copy=True)
    """Furthest turn, either way."""
    size: float = number(0, soft=(0, 1), headline=True, per_copy=True)
    """Furthest change of the size, either way, as a share of it."""
    seed: int = integer(1, soft=(0, 100), hard=(0, 2**31 - 1), headline=True)
    """Another seed is another shuffle."""


def shuffle(copies, weights, settings) -> Copies:
    """Move, turn, resize, colour, fade and delay each copy by chance, up to the amounts that are set.

    weights  (N,) 0..1, how much of the change each copy gets
    Returns  the copies, changed; a copy's chance follows from the seed and its index alone
    """

    def chance(channel):
        return (2 * chances(copies.count, settings.seed, channel) - 1).astype(np.float32)

    return changed(
        copies,
        change_of(
            Resolved({**vars(settings), "size": 1 + settings.size}),
            weights,
            lambda name: np.stack([chance(CHANNEL_NUMBERS[name] + axis) for axis in range(3)], axis=1),
            lambda name: chance(CHANNEL_NUMBERS[name]),
        ),
    )


KIND = Kind(
    "shuffle",
    "modulate",
    ShuffleSettings,
    shuffle,
    "Shuffle by **{place}**, turn **{turn}**, seed **{seed}**",
    icon="shuffle",
    words="random randomise jitter chance vary scatter variation",
)
