"""A picture that goes over into a colour, or into nothing."""

import numpy as np

from ...craft import ActingSettings
from ...schema import Kind, choice, number, only_if
from ...schema import colour as colour_setting


class FadeSettings(ActingSettings):
    amount: float = number(0.5, soft=(0, 1), hard=(0, 1), headline=True)
    """How far it has gone over; keys make it come and go."""
    into: str = choice("a colour", ("a colour", "nothing"), headline=True)
    """What it goes over into: nothing is transparent."""
    colour: str = only_if(colour_setting("#000000", headline=True), into=("a colour",))
    """The colour."""


def fade(picture, settings) -> np.ndarray:
    """Mix a picture with a colour, or take it away.

    picture  (H, W, 4) float32, linear, premultiplied; not changed
    Returns  (H, W, 4) float32
    """
    into = [*settings.colour, 1] if settings.into == "a colour" else [0, 0, 0, 0]
    share = np.float32(settings.amount)
    return picture * (1 - share) + np.asarray(into, np.float32) * share


KIND = Kind(
    "fade",
    "finish",
    FadeSettings,
    fade,
    "Fade by **{amount}** into **{into}** **{colour}**",
    icon="fade",
    words="dissolve opacity black in out transition",
)
