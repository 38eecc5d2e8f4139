"""Light from all around."""

from ...craft import ShiningSettings
from ...schema import Kind, number, only_if
from ...schema import colour as colour_setting


class SkySettings(ShiningSettings):
    """Light the scene from above, from the horizon and from the ground; reflections show it."""

    top: str = colour_setting("#7c9cc0", headline=True)
    """The colour straight above."""
    horizon: str = colour_setting("#f0b7a4", headline=True)
    """The colour at the height of the eye."""
    ground: str = colour_setting("#2b2a33", headline=True)
    """The colour from below."""
    brightness: float = number(0.5, soft=(0, 3), hard=(0, None), headline=True)
    """Factor on all three."""
    hollows: float = only_if(number(400, soft=(0, 1000), hard=(0, None), zero="without end"), shadows=(True,))
    """What is nearer than this to a surface keeps some of the sky from it, and more the nearer it is."""


KIND = Kind(
    "sky",
    "light",
    SkySettings,
    None,
    "Sky **{top}**, **{horizon}**, **{ground}** at **{brightness}**",
    icon="cloud",
    words="ambient environment dome surroundings light background",
)
