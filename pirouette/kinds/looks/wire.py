"""The edges of the polygons as lines."""

from ...craft import PaintSettings
from ...schema import Kind, choice, number, switch
from ...schema import colour as colour_setting


class WireSettings(PaintSettings):
    """Draw the edges of the polygons as lines of light."""

    colour: str = colour_setting("#f4ead7", headline=True)
    """The colour of the lines, multiplied with the copies' own."""
    width: float = number(1.2, soft=(0.2, 10), hard=(0, None), headline=True)
    """How wide the lines are."""
    unit: str = choice("px", ("px", "units"), headline=True)
    """Width in picture points of a 1080-line picture, or in scene units that shrink with distance."""
    by_width: bool = switch(False)
    """Whether lines are as many times as wide as the `width` of their points or copies says."""
    brightness: float = number(1, soft=(0, 10), hard=(0, None))
    """Factor on the light of the lines."""
    blend: str = choice("normal", ("normal", "additive"))
    """Cover what is behind, or add light to it."""
    mirrored: bool = switch(True)
    """Whether they are seen in mirrors, and through what is clear. Proofs and renders show it."""


KIND = Kind(
    "wire",
    "look",
    WireSettings,
    None,
    "Wire **{colour}**, **{width}** **{unit}**",
    icon="wire",
    words="wireframe lines edges outline emission glow",
)
