"""Softness, all over or by how far away things are."""

import numpy as np

from ...craft import ActingSettings
from ...kernels.render.spread import blur as blur_all
from ...kernels.render.spread import blur_each
from ...schema import Kind, choice, number, only_if

# Of a blur's width, which holds nearly all light, its standard deviation is this share.
SHARE = 0.25
# What is filled behind a figure is told by no less of what is around than this.
LEAST = 1e-3


class BlurSettings(ActingSettings):
    width: float = number(2, soft=(0, 10), hard=(0, 100), headline=True)
    """How wide a point becomes, in hundredths of the picture's height."""
    by: str = choice("all", ("all", "distance"), headline=True)
    """All of the picture, or what is nearer and farther than a distance from the camera."""
    sharp: float = only_if(number(800, soft=(0, 3000), hard=(0, None)), by=("distance",))
    """The distance at which all stays sharp, in scene units along the line of sight."""
    within: float = only_if(number(50, soft=(0, 1000), hard=(0, None)), by=("distance",))
    """So far before and behind it, too."""
    over: float = only_if(number(600, soft=(1, 3000), hard=(0.001, None)), by=("distance",))
    """The way on which the blur then grows to its whole width."""


def blur(picture, settings, depth, cover=None) -> np.ndarray:
    """Blur a picture.

    picture  (H, W, 4) float32, linear, premultiplied; not changed
    depth    (H, W) distances, infinite where nothing is
    cover    (H, W) how much of each pixel is blurred, itself as softly as the picture is; None for all
    Returns  (H, W, 4) float32
    """
    sigma = settings.width / 100 * picture.shape[0] * SHARE
    if settings.by == "distance":
        away = np.maximum(np.abs(depth - settings.sharp) - settings.within, 0) / settings.over
        sigma = sigma * np.minimum(away, 1)

    def soft(light):
        return blur_all(light, sigma) if settings.by == "all" else blur_each(light, sigma)

    if cover is None:
        return soft(picture)
    share = cover[..., None]
    # What is blurred lies before the rest, which is filled behind it by what is around.
    front, spread = soft(picture * share), soft(np.repeat(share, 4, axis=2))
    fill = (soft(picture) - front) / np.maximum(1 - spread, LEAST)
    return front + (picture * (1 - share) + fill * share) * (1 - spread)


def reads(settings) -> tuple[str, ...]:
    return ("depth",) if settings.by == "distance" else ()


KIND = Kind(
    "blur",
    "finish",
    BlurSettings,
    blur,
    "Blur **{by}**, **{width}** wide",
    reads=reads,
    icon="blur",
    words="defocus soft smooth",
)
