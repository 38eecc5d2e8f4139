"""Light from a picture all around."""

from ...craft import ShiningSettings
from ...schema import Kind, asset, integer, number, only_if


class SurroundingsSettings(ShiningSettings):
    """Light the scene from a picture that goes all around; reflections show it, and a background that is *its sky*."""

    picture: str = asset("picture", headline=True)
    """The picture: its columns go once around, its rows from straight above to straight below. In HDR and EXR files
    light goes beyond white."""
    turn: float = number(0, soft=(-180, 180), unit="deg", headline=True)
    """How it is turned about the vertical; with 0 its middle lies along -z."""
    brightness: float = number(1, soft=(0, 3), hard=(0, None), headline=True)
    """Factor on its light."""
    suns: int = integer(1, soft=(0, 4), hard=(0, 4), zero="none")
    """So many of its brightest places shine as suns, with shadows of their own, if they are bright and small enough."""
    hollows: float = only_if(number(400, soft=(0, 1000), hard=(0, None), zero="without end"), shadows=(True,))
    """What is nearer than this to a surface keeps some of its light from it, and more the nearer it is."""


def advice(settings) -> str:
    return "no picture is chosen, so it gives no light; choose one in its settings" if settings.picture is None else ""


KIND = Kind(
    "surroundings",
    "light",
    SurroundingsSettings,
    None,
    "All around **{picture}**, turned **{turn}**, at **{brightness}**",
    advice=advice,
    icon="globe",
    words="environment panorama picture image map hdr hdri exr photo studio reflections dome sphere sky light",
)
