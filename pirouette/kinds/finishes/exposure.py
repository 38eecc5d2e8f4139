"""Brightness in stops, and the view transform."""

import numpy as np

from ...craft import ActingSettings
from ...kernels.render.transform import TRANSFORMS, expose
from ...schema import Kind, choice, number


class ExposureSettings(ActingSettings):
    stops: float = number(0, soft=(-4, 4), hard=(-20, 20), headline=True)
    """Each stop doubles the light."""
    transform: str = choice("steady", tuple(reversed(TRANSFORMS)), headline=True)
    """Roll bright light off into white: steady, so that no colour turns to another, or filmic; plain cuts it there."""


def exposure(picture, settings) -> np.ndarray:
    """Brighten a picture and bring it into what a screen can show.

    picture  (H, W, 4) float32, linear, premultiplied; not changed
    Returns  (H, W, 4) float32
    """
    return expose(picture, settings.stops, settings.transform)


KIND = Kind(
    "exposure",
    "finish",
    ExposureSettings,
    exposure,
    "Exposure **{stops}** stops, **{transform}**",
    icon="exposure",
    words="brightness tone mapping stops brighter view",
)
