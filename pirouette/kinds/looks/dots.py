"""The points as soft discs."""

from ...craft import PaintSettings
from ...schema import Kind, choice, number, switch
from ...schema import colour as colour_setting


class DotsSettings(PaintSettings):
    """Draw every point as a disc of light."""

    colour: str = colour_setting("#f4ead7", headline=True)
    """The colour of the dots, multiplied with the copies' own."""
    size: float = number(5, soft=(0.5, 40), hard=(0, None), headline=True)
    """How wide the dots are."""
    unit: str = choice("px", ("px", "units"), headline=True)
    """Width in picture points of a 1080-line picture, or in scene units that shrink with distance."""
    softness: float = number(0.3, soft=(0, 1), hard=(0, 1))
    """How much of the radius is a soft edge."""
    by_width: bool = switch(False)
    """Whether dots are as many times as wide as the `width` of their points or copies says."""
    brightness: float = number(1, soft=(0, 10), hard=(0, None))
    """Factor on the light of the dots."""
    blend: str = choice("normal", ("normal", "additive"))
    """Cover what is behind, or add light to it."""
    mirrored: bool = switch(True)
    """Whether they are seen in mirrors, and through what is clear. Proofs and renders show it."""


KIND = Kind(
    "dots",
    "look",
    DotsSettings,
    None,
    "Dots **{colour}**, **{size}** **{unit}**",
    icon="dots",
    words="points particles circles discs vertices",
)
