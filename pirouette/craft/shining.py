"""The settings that all lights share."""

import numpy as np

from ..schema.setting import choice, only_if, references, switch
from ..schema.settings import Settings


class ShiningSettings(Settings):
    """What a light shines on, and whether that keeps it from what lies behind."""

    shines: str = choice("on all", ("on all", "on only", "on all but"))
    """Which figures it lights. Those that it does not shine on throw no shadow in it, either."""
    figures: list = only_if(references("figures"), shines=("on only", "on all but"))
    """The figures that are meant."""
    shadows: bool = switch(True)
    """Whether figures throw shadows in it."""


def sun_way(settings) -> np.ndarray:
    """Return (3,) float64: the unit vector towards a sun."""
    around, above = np.radians(settings.around), np.radians(settings.above)
    return np.array([np.sin(around) * np.cos(above), np.sin(above), np.cos(around) * np.cos(above)])
