"""Rows of three numbers times weights."""

import numpy as np

from .compile import frozen, kernel
from .threads import in_slices

F = np.float32


@kernel
def _alike(amount, weights, start, stop, out):
    x, y, z = amount[0], amount[1], amount[2]
    for i in range(start, stop):
        out[i, 0] = x * weights[i]
        out[i, 1] = y * weights[i]
        out[i, 2] = z * weights[i]


def scaled_rows(amount, weights) -> np.ndarray:
    """Return (N, 3) float32: an amount (3,) or (N, 3) times weights (N,) or (N, 3)."""
    amount, weights = np.asarray(amount, F), np.asarray(weights, F)
    if amount.ndim == 1 and weights.ndim == 1:
        amount, weights = frozen(amount), frozen(weights)
        out = np.empty((len(weights), 3), F)
        in_slices(lambda a, b: _alike(amount, weights, a, b, out), len(out))
        return out
    return amount * (weights[:, None] if weights.ndim == 1 else weights)
