"""A change that grows along the order of the copies."""

from ...data import Copies
from ...data.vary import ORDERS, numbers_per_copy, progress, vary, vectors_per_copy
from ...schema import Kind, Settings, choice, number, vector


class StaggerSettings(Settings):
    place: list = vector((0, 0, 0), per_copy=True)
    """Change of the position that the last copy gets."""
    turn: list = vector((0, 0, 90), soft=(-360, 360), unit="deg", headline=True, per_copy=True)
    """Turn that the last copy gets."""
    size: float = number(1, soft=(0, 3), headline=True, per_copy=True)
    """Factor on the size that the last copy gets."""
    order: str = choice("index", ORDERS, headline=True)
    """Which copy counts as first and which as last."""


def stagger(copies, weights, settings) -> Copies:
    """Change copies progressively along their order.

    weights  (N,) 0..1, how much of the change each copy gets
    Returns  the copies, changed: the first not at all, the last in full
    """
    amounts = weights * progress(copies, settings.order)
    return vary(
        copies,
        place=vectors_per_copy(settings.place, amounts),
        turn=vectors_per_copy(settings.turn, amounts),
        size=1 + numbers_per_copy(settings.size - 1, amounts),
    )


KIND = Kind("stagger", "modulate", StaggerSettings, stagger, "Stagger turn **{turn}**, size **{size}**, **{order}**")
