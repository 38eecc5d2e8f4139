"""Where points lie along an axis of their own box: what deformers that change from end to end have in common."""

import numpy as np

AXES = ("x", "y", "z")
ENDS = ("the middle", "the low end", "the high end")


def along(points, axis: str, fixed: str = "the middle") -> tuple[np.ndarray, float, float]:
    """Return (N,) float32 distances of points from what stays in place, where that lies, and the whole length.

    points  (N, 3), at least one
    fixed   the middle of the box along the axis, or one of its ends
    """
    column = points[:, AXES.index(axis)]
    low, high = float(column.min()), float(column.max())
    stays = {"the middle": (low + high) / 2, "the low end": low, "the high end": high}[fixed]
    return column - np.float32(stays), stays, high - low


def around(points, axis: str) -> tuple[list[int], np.ndarray]:
    """Return the numbers of the two other axes, and the middle (2,) of the points' box along them."""
    others = [number for number in range(3) if number != AXES.index(axis)]
    low, high = points[:, others].min(axis=0), points[:, others].max(axis=0)
    return others, (low + high) / 2


def widened(points, axis: str, factors) -> np.ndarray:
    """Return points moved away from the middle of their box across an axis by factors (N,)."""
    others, middle = around(points, axis)
    moved = points.copy()
    moved[:, others] = middle + (points[:, others] - middle) * np.asarray(factors, np.float32)[:, None]
    return moved
