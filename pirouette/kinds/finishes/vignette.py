"""Darker corners."""

import numpy as np

from ...craft import ActingSettings
from ...kernels.render.picture import vignette as vignette_kernel
from ...schema import Kind, number


class VignetteSettings(ActingSettings):
    strength: float = number(0.4, soft=(0, 1), hard=(0, 1), headline=True)
    """How dark the corners become."""
    reach: float = number(0.5, soft=(0, 1), hard=(0, 2), headline=True)
    """Where it begins, from the middle to the corners."""
    softness: float = number(0.6, soft=(0, 1), hard=(0, 4))
    """How gradual it is."""


def vignette(picture, settings) -> np.ndarray:
    """Darken a picture towards its corners.

    picture  (H, W, 4) float32, linear, premultiplied; not changed
    Returns  (H, W, 4) float32
    """
    return vignette_kernel(picture, settings.strength, settings.reach, settings.softness)


KIND = Kind(
    "vignette",
    "finish",
    VignetteSettings,
    vignette,
    "Vignette **{strength}** from **{reach}** outwards",
    icon="vignette",
    words="dark corners edges lens",
)
