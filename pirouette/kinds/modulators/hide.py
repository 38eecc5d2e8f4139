"""Copies that are not seen."""

import numpy as np

from ...craft.vary import ORDERS, Change, changed, progress
from ...data import Copies
from ...schema import Kind, Settings, choice, integer, number
from ...values.functions import chances


class HideSettings(Settings):
    by: str = choice("field", ("field", "chance", "size", *ORDERS), headline=True)
    """What is compared: the weight of the step's field, a chance of each copy, its size, or its place in an order."""
    hides: str = choice("above", ("above", "below"), headline=True)
    """Which copies vanish: those above the level, or those below it."""
    level: float = number(0.5, soft=(0, 1), headline=True, per_copy=True)
    """The level at which copies vanish."""
    fade: float = number(0, soft=(0, 0.5), hard=(0, None))
    """How far beyond the level copies fade before they are gone."""
    seed: int = integer(1, soft=(0, 100), hard=(0, 2**31 - 1))
    """Another seed is another chance."""


def hide(copies, weights, settings) -> Copies:
    """Hide copies whose weight, chance, size or order is beyond a level; they keep their place in the order.

    weights  (N,) 0..1 of the step's field; what is not touched by it is not hidden
    Returns  the copies, some of them without opacity
    """
    limit = np.ones(copies.count, np.float32)
    if settings.by == "field":
        amount = np.asarray(weights, np.float32)
        limit = (amount > 0).astype(np.float32) if settings.hides == "above" else limit
    else:
        limit = np.asarray(weights, np.float32)
        if settings.by == "chance":
            amount = chances(copies.count, settings.seed)
        elif settings.by == "size":
            amount = np.abs(copies.scale).max(axis=1, initial=0)
        else:
            amount = progress(copies, settings.by)
    beyond = amount - settings.level if settings.hides == "above" else settings.level - amount
    hidden = np.clip(beyond / settings.fade, 0, 1) if settings.fade > 0 else (beyond > 0).astype(np.float32)
    return changed(copies, Change(opacity=1 - hidden * limit))


KIND = Kind(
    "hide",
    "modulate",
    HideSettings,
    hide,
    "Hide copies **{hides}** **{level}** by **{by}**",
    icon="hide",
    words="show reveal remove delete cull visible random",
)
