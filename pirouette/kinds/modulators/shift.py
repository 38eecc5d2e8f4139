"""The same change for every copy, or a formula's own for each."""

from ...data import Copies
from ...data.vary import numbers_per_copy, vary, vectors_per_copy
from ...schema import Kind, Settings, number, vector


class ShiftSettings(Settings):
    place: list = vector((0, 0, 0), headline=True, per_copy=True)
    """Added to the position."""
    turn: list = vector((0, 0, 0), soft=(-360, 360), unit="deg", headline=True, per_copy=True)
    """Turn about each copy's own axes."""
    size: float = number(1, soft=(0, 3), headline=True, per_copy=True)
    """Factor on the size."""


def shift(copies, weights, settings) -> Copies:
    """Move, turn and resize all copies alike.

    weights  (N,) 0..1, how much of the change each copy gets
    Returns  the copies, changed
    """
    return vary(
        copies,
        place=vectors_per_copy(settings.place, weights),
        turn=vectors_per_copy(settings.turn, weights),
        size=1 + numbers_per_copy(settings.size - 1, weights),
    )


KIND = Kind("shift", "modulate", ShiftSettings, shift, "Shift by **{place}**, turn **{turn}**, size **{size}**")
