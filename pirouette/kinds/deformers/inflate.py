"""A shape blown up."""

import numpy as np

from ...kernels.geometry.box import box
from ...kernels.geometry.place import unit_rows
from ...kernels.rows import pushed_rows
from ...schema import Kind, Settings, number


class InflateSettings(Settings):
    amount: float = number(12, soft=(-50, 100), headline=True, per_copy=True)
    """How far points move along their normals; below 0 inwards."""
    roundness: float = number(0, soft=(0, 1), hard=(0, 1), headline=True, per_copy=True)
    """How far they go towards a ball around the middle of the shape."""


def inflate(points, normals, weights, settings) -> np.ndarray:
    """Move points outwards along their normals, and towards a ball as far from the middle as they are on average.

    points, normals  (N, 3) float32; not changed
    weights          (N,) float32 in 0..1, from the step's field
    Returns          (N, 3) float32
    """
    moved = points
    if np.any(settings.roundness):
        middle = np.add(*box(points)) / 2
        away = points - middle
        radius = np.float32(np.linalg.norm(away, axis=1).mean(dtype=np.float64))
        share = np.asarray(settings.roundness * weights, np.float32)[:, None]
        moved = points + (middle + unit_rows(away) * radius - points) * share
    return pushed_rows(moved, normals, np.asarray(settings.amount * weights, np.float32))


KIND = Kind(
    "inflate",
    "deform",
    InflateSettings,
    inflate,
    "Inflate by **{amount}**, roundness **{roundness}**",
    icon="inflate",
    words="puff blow swell spherify round ball",
)
