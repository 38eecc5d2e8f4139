"""Copies that keep their size while what carries them is scaled."""

import numpy as np

from ...data import Copies
from ...kernels.geometry.place import compose
from ...schema import Kind, Settings, choice, number


class KeepSizeSettings(Settings):
    strength: float = number(1, soft=(0, 1), hard=(0, 1), headline=True, per_copy=True)
    """How much of the parent's scale is undone."""
    of: str = choice("every axis", ("every axis", "x", "y", "z"), headline=True)
    """Which of the copies' own axes keep their size."""


def keep_size(copies, weights, settings, matrix) -> Copies:
    """Undo the scale of the figure and of the guides that it follows, for the copies' own size.

    matrix   (4, 4) from the figure's space to the world
    weights  (N,) 0..1, how much each copy keeps its size
    Returns  the copies, scaled against; their places still spread
    """
    if not copies.count:
        return copies
    zeros, ones = np.zeros((copies.count, 3)), np.ones((copies.count, 3))
    axes = compose(zeros, copies.rotation, ones)[:, :, :3].astype(np.float64)
    # How long each of a copy's own unit axes is in the world.
    lengths = np.linalg.norm(np.einsum("ij,njk->nik", matrix[:3, :3], axes), axis=1)
    share = np.asarray(settings.strength * weights, np.float64)[:, None]
    factors = 1 + (1 / np.maximum(lengths, 1e-12) - 1) * share
    if settings.of != "every axis":
        kept = np.ones_like(factors)
        kept[:, "xyz".index(settings.of)] = factors[:, "xyz".index(settings.of)]
        factors = kept
    return copies.moved(scale=copies.scale * factors)


KIND = Kind(
    "keep_size",
    "modulate",
    KeepSizeSettings,
    keep_size,
    "Keep the size on **{of}**, strength **{strength}**",
    icon="keep_size",
    words="scale unscale constant",
)
