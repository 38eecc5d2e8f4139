"""The channels that modulators act on, declared once: place, turn, size, colour, opacity and time."""

import numpy as np

from ..kernels.rows import scaled_rows
from ..schema.setting import colour, flags, number, vector
from ..schema.settings import Settings
from .vary import CHANNELS, Change, numbers_per_copy


class ChannelSettings(Settings):
    """How much of each channel changes, and which of them do."""

    place: list = vector((0, 0, 0), headline=True, per_copy=True)
    """Change of the position."""
    turn: list = vector((0, 0, 0), soft=(-360, 360), unit="deg", headline=True, per_copy=True)
    """Turn about each copy's own axes."""
    size: float = number(1, soft=(0, 3), headline=True, per_copy=True)
    """Factor on the size."""
    colour: str = colour("#e2553a", per_copy=True)
    """The colour towards which copies go."""
    colouring: float = number(0, soft=(0, 1), hard=(0, 1), per_copy=True)
    """How far they go towards the colour."""
    opacity: float = number(1, soft=(0, 1), hard=(0, 1), per_copy=True)
    """Factor on the opacity; at 0 a copy is not seen."""
    time: float = number(0, soft=(-48, 48), unit="frames", per_copy=True)
    """Frames added to a copy's time, for all that stands above this step; below 0 it is behind."""
    acts_on: list = flags(CHANNELS, CHANNELS)
    """The channels that change; the others keep their numbers but are left alone."""


def change_of(settings, weights, vectors=None, scalars=None) -> Change:
    """Return the change of settings, each copy by its (N,) weight.

    vectors  name -> (N, 3) signs or noises for place and turn; ones if not given
    scalars  name -> (N,) the same for the other channels
    """
    on = set(settings.acts_on)
    weights = np.asarray(weights, np.float32)

    def spread(name):
        return weights if scalars is None else weights * scalars(name)

    def vector_of(name):
        amount = getattr(settings, name)
        if name not in on or not np.any(amount):
            return None
        if vectors is None and np.ndim(amount) == 1:
            return amount
        return scaled_rows(amount, weights, None if vectors is None else vectors(name))

    size = opacity = towards = time = None
    if "size" in on and np.any(settings.size != 1):
        size = 1 + numbers_per_copy(settings.size - 1, spread("size"))
    if "opacity" in on and np.any(settings.opacity != 1):
        opacity = 1 + (settings.opacity - 1) * np.abs(spread("opacity"))
    if "colour" in on and np.any(settings.colouring):
        towards = settings.colouring * np.abs(spread("colour"))
    if "time" in on and np.any(settings.time):
        time = settings.time * spread("time")
    return Change(vector_of("place"), vector_of("turn"), weights, size, settings.colour, towards, opacity, time)
