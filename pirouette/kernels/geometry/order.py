"""An order of points in which those that follow each other are near to each other: along a Hilbert curve.

Source  J. Skilling, "Programming the Hilbert curve", AIP Conference Proceedings 707 (2004)
"""

import numpy as np

from ..compile import exact_kernel, frozen
from ..threads import in_slices

BITS = 21
LAST = (1 << BITS) - 1


@exact_kernel
def _spread_bits(x):
    x &= 0x1FFFFF
    x = (x | x << 32) & 0x1F00000000FFFF
    x = (x | x << 16) & 0x1F0000FF0000FF
    x = (x | x << 8) & 0x100F00F00F00F00F
    x = (x | x << 4) & 0x10C30C30C30C30C3
    return (x | x << 2) & 0x1249249249249249


@exact_kernel
def _codes(points, low, scale, start, stop, out):
    for i in range(start, stop):
        x = min(max(np.int64((points[i, 0] - low[0]) * scale[0]), 0), LAST)
        y = min(max(np.int64((points[i, 1] - low[1]) * scale[1]), 0), LAST)
        z = min(max(np.int64((points[i, 2] - low[2]) * scale[2]), 0), LAST)
        bit = np.int64(1 << (BITS - 1))
        while bit > 1:
            below = bit - 1
            if x & bit:
                x ^= below
            if y & bit:
                x ^= below
            else:
                swapped = (x ^ y) & below
                x ^= swapped
                y ^= swapped
            if z & bit:
                x ^= below
            else:
                swapped = (x ^ z) & below
                x ^= swapped
                z ^= swapped
            bit >>= 1
        y ^= x
        z ^= y
        turned = np.int64(0)
        bit = np.int64(1 << (BITS - 1))
        while bit > 1:
            if z & bit:
                turned ^= bit - 1
            bit >>= 1
        x ^= turned
        y ^= turned
        z ^= turned
        out[i] = _spread_bits(x) << 2 | _spread_bits(y) << 1 | _spread_bits(z)


def side_by_side(points) -> np.ndarray:
    """Return the (N,) int32 numbers of points (N, 3) in such an order; of those in one place, the lowest first."""
    points = np.ascontiguousarray(points)
    low, high = points.min(axis=0, initial=np.inf), points.max(axis=0, initial=-np.inf)
    codes, scale = np.empty(len(points), np.int64), LAST / np.maximum(high.astype(np.float64) - low, 1e-30)
    in_slices(lambda a, b: _codes(points, low, scale, a, b, codes), len(points))
    return frozen(np.argsort(codes, kind="stable"), np.int32)
