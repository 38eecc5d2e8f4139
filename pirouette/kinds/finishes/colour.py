"""Hue, how colourful, and what black and white become."""

import numpy as np

from ...craft import ActingSettings
from ...kernels.render.grade import grade
from ...schema import Kind, number
from ...schema import colour as colour_setting


class ColourSettings(ActingSettings):
    hue: float = number(0, soft=(-180, 180), unit="deg", headline=True, winds=True)
    """How far every hue is turned around the circle of hues, at the lightness it has."""
    saturation: float = number(1, soft=(0, 2), hard=(0, 10), headline=True)
    """How colourful all is; 0 is grey, 1 as it was."""
    vibrance: float = number(0, soft=(-1, 1), hard=(-1, 4), headline=True)
    """How much more colourful what is pale becomes; what is vivid stays."""
    lift: float = number(0, soft=(-0.2, 0.2), hard=(-1, 1))
    """The light that black becomes."""
    lift_colour: str = colour_setting("#ffffff")
    """Its colour: dark parts take it on."""
    gamma: float = number(1, soft=(0.4, 2.5), hard=(0.1, 10))
    """Brightens what lies between black and white, or darkens it below 1."""
    gain: float = number(1, soft=(0, 2), hard=(0, 20))
    """The light that white becomes."""
    gain_colour: str = colour_setting("#ffffff")
    """Its colour: bright parts take it on."""


def colour(picture, settings) -> np.ndarray:
    """Grade the colours of a picture.

    picture  (H, W, 4) float32, linear, premultiplied; not changed
    Returns  (H, W, 4) float32
    """
    lift = settings.lift * np.asarray(settings.lift_colour)
    gain = settings.gain * np.asarray(settings.gain_colour)
    turn = np.radians(settings.hue)
    return grade(picture, turn, settings.saturation, settings.vibrance, lift, gain, settings.gamma)


KIND = Kind(
    "colour",
    "finish",
    ColourSettings,
    colour,
    "Turn hues by **{hue}**, saturation **{saturation}**, vibrance **{vibrance}**",
    icon="colour",
    words="color grade saturation hue lift gain gamma correction",
)
