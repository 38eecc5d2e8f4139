"""The brightness of a picture as a weight."""

import numpy as np

from ...data.texture import sample_pixels
from ...schema import Kind, Settings, asset, choice, number, vector

# Which axes of space the picture's two sides lie along, seen from each axis.
ACROSS = {"z": (0, 1), "y": (0, 2), "x": (2, 1)}
LUMINANCE = np.array([0.2126, 0.7152, 0.0722], np.float32)


class PictureSettings(Settings):
    file: str = asset("picture", headline=True)
    """The picture."""
    size: list = vector((400, 400, 400), soft=(1, 1000), hard=(1e-3, None), headline=True)
    """How wide it lies over the scene along each axis."""
    position: list = vector((0, 0, 0), soft=(-500, 500))
    """Where its middle is."""
    facing: str = choice("z", tuple(ACROSS), headline=True)
    """The axis along which it is laid over the points."""
    gain: float = number(1, soft=(0, 4), hard=(0, None))
    """Factor on the brightness."""
    outside: str = choice("nothing", ("nothing", "its edge", "repeat"))
    """What counts beyond the picture."""


def picture(points, settings, links) -> np.ndarray:
    """Weigh points by the brightness of a picture laid over them.

    points   (N, 3) float32, in the clause's space
    Returns  (N,) float32 in 0..1; 0 everywhere without a picture
    """
    if "file" not in links:
        return np.zeros(len(points), np.float32)
    first, second = ACROSS[settings.facing]
    local = (points - np.asarray(settings.position)) / np.asarray(settings.size) + 0.5
    u, v = local[:, first], local[:, second]
    inside = (u >= 0) & (u <= 1) & (v >= 0) & (v <= 1)
    beyond = "repeat" if settings.outside == "repeat" else "its edge"
    pixels = sample_pixels(links["file"].asset.content, u, v, beyond)
    weight = np.clip((pixels[:, :3] @ LUMINANCE) * pixels[:, 3] * np.float32(settings.gain), 0, 1)
    return weight * inside if settings.outside == "nothing" else weight


KIND = Kind(
    "picture",
    "clause",
    PictureSettings,
    picture,
    "by picture **{file}**, **{size}** wide, facing **{facing}**",
    icon="picture",
    words="image texture map falloff photo",
)
