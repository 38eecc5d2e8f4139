"""Colours for copies, taken from a gradient."""

import numpy as np

from ...data import Copies
from ...data.vary import ORDERS, progress
from ...schema import Kind, Settings, choice, gradient, integer, number
from ...values.functions import rand

PAPER = [{"at": 0, "colour": "#e2553a"}, {"at": 0.5, "colour": "#f4ead7"}, {"at": 1, "colour": "#2f8f9d"}]


class TintSettings(Settings):
    by: str = choice("index", (*ORDERS, "chance"), headline=True)
    """What decides where in the gradient a copy's colour is taken."""
    gradient: list = gradient(PAPER, headline=True)
    """The colours."""
    strength: float = number(1, soft=(0, 1), hard=(0, 1), headline=True, per_copy=True)
    """How much of the colour is given."""
    seed: int = integer(1, soft=(0, 100), hard=(0, 2**31 - 1))
    """Another seed is another chance."""


def tint(copies, weights, settings) -> Copies:
    """Colour copies from a gradient along an order or by chance.

    weights  (N,) 0..1, how much of the colour each copy gets
    Returns  the copies with (N, 3) linear colours
    """
    if settings.by == "chance":
        at = rand(np.arange(copies.count) + 1 + settings.seed * 1_000_003.0)
    else:
        at = progress(copies, settings.by)
    stops = settings.gradient
    wanted = np.stack([np.interp(at, stops[:, 0], stops[:, channel]) for channel in (1, 2, 3)], axis=1)
    amount = np.asarray(settings.strength * weights, np.float32)[:, None]
    return copies.moved(colours=copies.colours + (wanted.astype(np.float32) - copies.colours) * amount)


KIND = Kind("tint", "modulate", TintSettings, tint, "Tint by **{by}** from **{gradient}**, strength **{strength}**")
