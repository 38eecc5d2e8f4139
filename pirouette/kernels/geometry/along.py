"""How far along curves their points are."""

import numpy as np

from ..compile import frozen, kernel
from ..types import D, F


@kernel
def _shares(points, corners, offsets, closed, share):
    # By one thread: of curves that share a point the last one tells, on any number of threads.
    for curve in range(len(closed)):
        start, stop = offsets[curve], offsets[curve + 1]
        if stop <= start:
            continue
        whole = 0.0
        for k in range(start + 1, stop + closed[curve]):
            i, j = corners[k - 1], corners[k if k < stop else start]
            x, y, z = points[j, 0] - points[i, 0], points[j, 1] - points[i, 1], points[j, 2] - points[i, 2]
            whole += np.sqrt(x * x + y * y + z * z)
        scale, way = 1.0 / max(whole, 1e-12), 0.0
        share[corners[start]] = 0.0
        for k in range(start + 1, stop):
            i, j = corners[k - 1], corners[k]
            x, y, z = points[j, 0] - points[i, 0], points[j, 1] - points[i, 1], points[j, 2] - points[i, 2]
            way += np.sqrt(x * x + y * y + z * z)
            share[j] = F(way * scale)


def shares(points, corners, offsets, closed) -> np.ndarray:
    """Return (V,) float32: how far along its curve each point is by arc length, 0..1; 0 for those on no curve.

    points   (V, 3)
    corners  (C,) int32 points of the curves, `offsets` (L + 1,) int32 where each curve's begin, `closed` (L,) bool
    """
    share = np.zeros(len(points), np.float32)
    _shares(frozen(points, D), frozen(corners, np.int32), frozen(offsets, np.int32), frozen(closed, np.bool_), share)
    return share
