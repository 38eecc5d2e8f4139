"""Light from all around."""

from ...schema import Kind, Settings, number
from ...schema import colour as colour_setting


class SkySettings(Settings):
    """Light the scene from above, from the horizon and from the ground; reflections show it."""

    top: str = colour_setting("#7c9cc0", headline=True)
    """The colour straight above."""
    horizon: str = colour_setting("#f0b7a4", headline=True)
    """The colour at the height of the eye."""
    ground: str = colour_setting("#2b2a33", headline=True)
    """The colour from below."""
    brightness: float = number(0.6, soft=(0, 3), hard=(0, None), headline=True)
    """Factor on all three."""


KIND = Kind(
    "sky", "light", SkySettings, None, "Sky **{top}**, **{horizon}**, **{ground}** at **{brightness}**", icon="cloud"
)
