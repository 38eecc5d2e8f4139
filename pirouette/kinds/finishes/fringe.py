"""Colours that come apart towards the corners, as through a simple lens."""

import numpy as np

from ...craft import ActingSettings
from ...kernels.render.spread import fringe as part
from ...schema import Kind, number


class FringeSettings(ActingSettings):
    amount: float = number(0.8, soft=(-3, 3), hard=(-20, 20), headline=True)
    """How far red comes outwards and blue inwards at the corners, in hundredths of the way there; below 0 the other
    way round."""
    rise: float = number(1, soft=(0, 3), hard=(0, 10), headline=True)
    """At 0 it is as large a share of the way everywhere; the more, the more it is kept for the corners."""


def fringe(picture, settings) -> np.ndarray:
    """Draw the colours of a picture apart, away from its middle.

    picture  (H, W, 4) float32, linear, premultiplied; not changed
    Returns  (H, W, 4) float32
    """
    return part(picture, settings.amount / 100, settings.rise)


KIND = Kind(
    "fringe",
    "finish",
    FringeSettings,
    fringe,
    "Fringe **{amount}** hundredths, rising by **{rise}**",
    icon="fringe",
    words="chromatic aberration colour split rgb lens",
)
