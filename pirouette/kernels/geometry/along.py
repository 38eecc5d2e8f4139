"""How far along curves their points are."""

import numpy as np

from ..compile import frozen, kernel
from ..threads import in_slices
from ..types import D, F

# So many are gone through by a thread at once.
CURVES = 64


@kernel
def _shares(points, corners, offsets, closed, first, last, far, share):
    for curve in range(first, last):
        start, stop = offsets[curve], offsets[curve + 1]
        if stop <= start:
            continue
        whole = 0.0
        far[start] = 0.0
        for k in range(start + 1, stop + closed[curve]):
            i, j = corners[k - 1], corners[k if k < stop else start]
            x, y, z = D(points[j, 0]) - points[i, 0], D(points[j, 1]) - points[i, 1], D(points[j, 2]) - points[i, 2]
            whole += np.sqrt(x * x + y * y + z * z)
            if k < stop:
                far[k] = whole
        scale = 1.0 / max(whole, 1e-12)
        for k in range(start, stop):
            share[corners[k]] = F(far[k] * scale)


def shares(points, corners, offsets, closed, is_in_row: bool) -> np.ndarray:
    """Return (V,) float32: how far along its curve each point is by arc length, 0..1; 0 for those on no curve.

    points   (V, 3)
    corners  (C,) int32 points of the curves, `offsets` (L + 1,) int32 where each curve's begin, `closed` (L,) bool
    is_in_row  whether the corners are all points one after the other
    """
    points, share = np.asarray(points), np.zeros(len(points), np.float32)
    points, corners = frozen(points, F if points.dtype == F else D), frozen(corners, np.int32)
    offsets, closed = frozen(offsets, np.int32), frozen(closed, np.bool_)
    # Of curves that share a point the last one tells: those are gone through by one thread, whatever the number.
    each, far = CURVES if is_in_row else max(len(closed), 1), np.empty(len(corners))
    in_slices(lambda a, b: _shares(points, corners, offsets, closed, a, b, far, share), len(closed), each)
    return share
