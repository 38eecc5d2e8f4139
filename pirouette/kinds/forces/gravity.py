"""Points that fall."""

import numpy as np

from ...kernels.geometry.place import inverted
from ...schema import Kind, Settings, choice, number, reference
from ...schema.kind import PUSHES

WAYS = {
    "down": (0, -1, 0),
    "up": (0, 1, 0),
    "left": (-1, 0, 0),
    "right": (1, 0, 0),
    "away": (0, 0, -1),
    "near": (0, 0, 1),
}


class GravitySettings(Settings):
    strength: float = number(100, soft=(0, 400), headline=True, per_copy=True)
    """By how much points fall faster each second, in units per second."""
    way: str = choice("down", tuple(WAYS), headline=True)
    """Which way they fall, in the world."""
    seen_from: str = reference("guides")
    """The guide whose own way that is, however it is turned, instead of the world's."""


def gravity(places, weights, settings, links, matrix) -> np.ndarray:
    """Let points fall, the same way however their figure is turned.

    places   (N, 3) float32; weights (N,) from the force's field
    matrix   (4, 4) from the figure's space to the world
    Returns  (N, 3) float32, by how much the speed changes each second
    """
    way = np.array(WAYS[settings.way], np.float64)
    if "seen_from" in links:
        turned = links["seen_from"].world[:3, :3] @ way
        way = turned / max(np.linalg.norm(turned), 1e-12)
    way = inverted(matrix[:3, :3]) @ way
    strength = np.broadcast_to(np.asarray(settings.strength * weights, np.float32), len(places))
    return way.astype(np.float32) * strength[:, None]


KIND = Kind(
    "gravity",
    "force",
    GravitySettings,
    gravity,
    "Falling **{way}** by **{strength}**",
    acts=PUSHES,
    icon="gravity",
    words="fall weight down drop",
)
