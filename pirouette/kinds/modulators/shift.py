"""The same change for every copy."""

import numpy as np

from ...craft import ChannelSettings, change_of
from ...craft.vary import Change, changed
from ...data import Copies
from ...schema import Kind, number


class ShiftSettings(ChannelSettings):
    push: float = number(0, soft=(-200, 200), per_copy=True)
    """How far copies go along the direction of the step's field."""


def shift(copies, weights, settings, directions) -> Copies:
    """Move, turn, resize, colour, fade and delay all copies alike.

    weights     (N,) 0..1, how much of the change each copy gets
    directions  (N, 3) of the step's field, or None
    Returns     the copies, changed
    """
    moved = changed(copies, change_of(settings, weights))
    if directions is not None and np.any(settings.push):
        return changed(moved, Change(place=directions * np.reshape(settings.push * weights, (-1, 1))))
    return moved


KIND = Kind(
    "shift",
    "modulate",
    ShiftSettings,
    shift,
    "Shift by **{place}**, turn **{turn}**, size **{size}**",
    icon="move",
    words="move offset turn rotate scale resize fade opacity delay spin mirror flip transform",
)
