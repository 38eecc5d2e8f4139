"""A stretch of the order of copies or points."""

import numpy as np

from ...kernels.geometry.weigh import between_weights
from ...schema import Kind, Settings, number


class OrderSettings(Settings):
    start: float = number(0, soft=(0, 1), headline=True)
    """Where the stretch begins: 0 is the first copy, 1 the last."""
    end: float = number(0.1, soft=(0, 1), headline=True)
    """Where it ends."""
    fade: float = number(0.05, soft=(0, 0.5), hard=(0, None), headline=True)
    """How far the soft edge reaches outside at each end."""


def order(points, settings, share) -> np.ndarray:
    """Weigh copies or points 1 in a stretch of their order, fading to 0 beside it.

    share    (N,) 0..1, where each stands in the order
    Returns  (N,) float32 in 0..1
    """
    low, high = sorted((settings.start, settings.end))
    return between_weights(share, low, high, settings.fade)


KIND = Kind(
    "order",
    "clause",
    OrderSettings,
    order,
    "from **{start}** to **{end}** of the order, fading over **{fade}**",
    icon="order",
    words="index sequence number falloff",
)
