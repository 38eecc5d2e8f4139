"""Parallel light."""

from ...craft import ShiningSettings
from ...schema import Kind, number
from ...schema import colour as colour_setting


class SunSettings(ShiningSettings):
    """Light the scene with parallel rays."""

    colour: str = colour_setting("#fff1dc", headline=True)
    """The colour of the light."""
    brightness: float = number(1.2, soft=(0, 6), hard=(0, None), headline=True)
    """How bright a white surface is that faces it, in multiples of white."""
    around: float = number(35, soft=(-180, 180), unit="deg", headline=True)
    """The direction it comes from, around the y axis; 0 is from the front."""
    above: float = number(45, soft=(-90, 90), hard=(-90, 90), unit="deg", headline=True)
    """The height it comes from."""
    width: float = number(3, soft=(0, 30), hard=(0, 90), unit="deg")
    """How wide it is seen; the edges of shadows are as soft as that."""


KIND = Kind(
    "sun",
    "light",
    SunSettings,
    None,
    "Sun **{colour}** at **{brightness}**, from **{around}**, **{above}** up",
    icon="sun",
    words="directional light daylight parallel shadow",
)
