"""Points swept around an axis."""

import numpy as np

from ...kernels.geometry.place import lengths, unit_rows
from ...schema import Kind, Settings, choice, number, reference
from ...schema.kind import PUSHES

AXES = ("x", "y", "z")


class WhirlSettings(Settings):
    strength: float = number(80, soft=(-300, 300), headline=True, per_copy=True)
    """How hard points are swept around, in units per second, each second; below 0 the other way round."""
    axis: str = choice("y", AXES, headline=True)
    """The axis of the guide, or of the figure itself, that it goes around."""
    around: str = reference("guides", "figures", headline=True, none="its own middle")
    """The guide or figure whose axis it is; with none, that of their own figure."""
    reach: float = number(300, soft=(10, 800), hard=(1e-3, None))
    """How far from the axis it is felt; it grows less up to there."""
    inwards: float = number(0, soft=(-1, 1))
    """How much of the same strength draws points towards the axis, too; below 0 away from it."""


def whirl(places, weights, settings, links) -> np.ndarray:
    """Sweep points around an axis.

    places   (N, 3) float32; weights (N,) from the force's field
    Returns  (N, 3) float32, by how much the speed changes each second
    """
    matrix = links["around"].matrix if "around" in links else np.eye(4)
    axis = unit_rows(matrix[:3, AXES.index(settings.axis)][None])[0].astype(np.float32)
    away = places - matrix[:3, 3].astype(np.float32)
    away = away - (away @ axis)[:, None] * axis
    distance = lengths(away)
    share = np.clip(1 - distance / np.float32(settings.reach), 0, 1)
    out = unit_rows(away)
    way = np.cross(axis, out).astype(np.float32) - out * np.float32(settings.inwards)
    return way * (share * np.asarray(settings.strength * weights, np.float32))[:, None]


KIND = Kind(
    "whirl",
    "force",
    WhirlSettings,
    whirl,
    "Whirled around **{axis}** of **{around}** by **{strength}**",
    acts=PUSHES,
    icon="whirl",
    words="vortex spin rotate swirl tornado",
)
