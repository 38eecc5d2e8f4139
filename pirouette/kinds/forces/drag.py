"""Points slowed down by what they move through."""

import numpy as np

from ...kernels.geometry.place import lengths
from ...schema import Kind, Settings, number
from ...schema.kind import SLOWS

FAST = 100.0


class DragSettings(Settings):
    strength: float = number(1, soft=(0, 8), hard=(0, 1000), headline=True, per_copy=True)
    """Which share of their speed points lose, as the rate of a decay: 1 leaves 37 % after a second."""
    when_fast: float = number(0, soft=(0, 4), hard=(0, 1000), headline=True, per_copy=True)
    """By how much that is more for each 100 units per second: fast points are slowed down most."""


def drag(velocity, weights, settings) -> np.ndarray:
    """Slow points down, as what they move through does.

    velocity  (N, 3) float32; weights (N,) from the force's field
    Returns   (N,) float32, the rate of decay in each second
    """
    fast = lengths(velocity) / np.float32(FAST)
    return np.asarray((settings.strength + settings.when_fast * fast) * weights, np.float32)


KIND = Kind(
    "drag",
    "force",
    DragSettings,
    drag,
    "Slowed down by **{strength}**, and **{when_fast}** more when fast",
    acts=SLOWS,
    icon="drag",
    words="friction slow damp air resistance",
)
