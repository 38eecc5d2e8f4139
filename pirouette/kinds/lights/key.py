"""A glowing ball that lights softly from near by."""

from ...craft import FollowSettings, ShiningSettings
from ...schema import Kind, number, vector
from ...schema import colour as colour_setting


class KeySettings(FollowSettings, ShiningSettings):
    """Light the scene from a place, as softly as the light is large."""

    colour: str = colour_setting("#ffe2b8", headline=True)
    """The colour of the light."""
    brightness: float = number(2, soft=(0, 6), hard=(0, None), headline=True)
    """How bright a white surface is that faces it from `reach` away, in multiples of white."""
    position: list = vector((200, 300, 400), soft=(-1000, 1000), headline=True)
    """Where the middle of the light is; from the thing it follows, if any."""
    width: float = number(150, soft=(1, 800), hard=(0, None), headline=True)
    """How large it is; large lights wrap around forms and broaden reflections."""
    reach: float = number(500, soft=(10, 2000), hard=(1e-3, None))
    """The distance at which its brightness is as stated; it falls off with the square of the distance."""


KIND = Kind(
    "key",
    "light",
    KeySettings,
    None,
    "Key light **{colour}** at **{brightness}**, **{width}** wide at **{position}**",
    icon="lamp",
    words="lamp point area bulb spot light soft",
)
