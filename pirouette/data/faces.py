"""Faces of regular grids of points."""

import numpy as np


def grid_faces(across: int, up: int) -> np.ndarray:
    """Return (across * up, 4) int32 corners over points that run left to right, then upwards."""
    row = across + 1
    first = (np.arange(up)[:, None] * row + np.arange(across)).ravel()
    return np.stack([first, first + 1, first + row + 1, first + row], axis=1).astype(np.int32)
