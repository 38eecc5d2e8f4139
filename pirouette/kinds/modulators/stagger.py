"""A change that grows along the order of the copies."""

import numpy as np

from ...craft import ChannelSettings, change_of
from ...craft.vary import ORDERS, changed, needs_several, progress
from ...data import Copies
from ...schema import Kind, choice, curve, number, reference, vector

EVEN = [[0, 0], [1, 1]]
BY = (*ORDERS, "distance", "field")


class StaggerSettings(ChannelSettings):
    place: list = vector((0, 0, 0), per_copy=True)
    """Change of the position that the last copy gets."""
    turn: list = vector((0, 0, 90), soft=(-360, 360), unit="deg", winds=True, headline=True, per_copy=True)
    """Turn that the last copy gets."""
    time: float = number(0, soft=(-48, 48), unit="frames", headline=True, per_copy=True)
    """Frames that the last copy is ahead, or below 0 behind."""
    order: str = choice("index", BY, headline=True)
    """Which copy counts as first and which as last; distance is from `away_from`, field takes the step's weights."""
    away_from: str = reference("guides", "figures")
    """The place from which distance counts; the middle of the copies if none."""
    pace: list = curve(EVEN)
    """Bends how the change grows from the first to the last copy."""


def stagger(copies, weights, settings, links) -> Copies:
    """Change copies progressively along their order.

    weights  (N,) 0..1, how much of the change each copy gets
    Returns  the copies, changed: the first not at all, the last in full
    """
    if settings.order == "field":
        amounts = weights
    elif settings.order == "distance" and "away_from" in links:
        away = np.linalg.norm(copies.position - links["away_from"].place.astype(np.float32), axis=1)
        amounts = away / max(away.max(initial=0), 1e-9) * weights
    else:
        order = "middle outwards" if settings.order == "distance" else settings.order
        amounts = progress(copies, order) * weights
    if not np.array_equal(settings.pace, EVEN):
        amounts = np.interp(amounts, settings.pace[:, 0], settings.pace[:, 1]).astype(np.float32)
    return changed(copies, change_of(settings, amounts))


KIND = Kind(
    "stagger",
    "modulate",
    StaggerSettings,
    stagger,
    "Stagger turn **{turn}**, size **{size}**, time **{time}**, **{order}**",
    advice=needs_several,
    icon="list",
    words="step delay cascade sequence offset progressive increase",
)
