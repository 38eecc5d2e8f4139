"""Light that spills over the edges of what is bright."""

import numpy as np

from ...craft import ActingSettings
from ...kernels.render.picture import glow as glow_kernel
from ...schema import Kind, number


class GlowSettings(ActingSettings):
    strength: float = number(0.5, soft=(0, 2), hard=(0, None), headline=True)
    """How much of the spilled light is added."""
    above: float = number(0.8, soft=(0, 4), hard=(0, None), headline=True)
    """Light below this brightness does not glow; 1 is white."""
    size: float = number(0.5, soft=(0, 1), hard=(0, 1), headline=True)
    """How far it reaches, from a tight to a picture-wide halo."""


def glow(picture, settings, cover=None) -> np.ndarray:
    """Add a wide soft halo around the bright parts of a picture.

    picture  (H, W, 4) float32, linear, premultiplied; not changed
    cover    (H, W) how much of each pixel glows; None for all
    Returns  (H, W, 4) float32
    """
    # Levels are counted from the picture's height, so that the halo is alike at every size.
    levels = np.log2(max(picture.shape[0], 8)) - 5.1 + settings.size * 4
    source = picture if cover is None else picture * cover[..., None]
    glowing = glow_kernel(source, settings.above, settings.strength, max(1, round(levels)))
    if cover is None:
        return glowing
    out = picture + (glowing - source)
    out[..., 3] = np.minimum(out[..., 3], 1)
    return out


KIND = Kind(
    "glow",
    "finish",
    GlowSettings,
    glow,
    "Glow **{strength}** above **{above}**, size **{size}**",
    icon="glow",
    words="bloom halo light shine neon",
)
