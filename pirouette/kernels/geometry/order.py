"""An order of points in which those that follow each other are near to each other: along a Hilbert curve.

Source  J. Skilling, "Programming the Hilbert curve", AIP Conference Proceedings 707 (2004)
"""

import numpy as np

from ..compile import exact_kernel, frozen
from ..threads import in_slices
from .box import box

BITS = 21
# As many as fit numbers that are sorted without being compared.
FEW_BITS = 5


@exact_kernel
def _spread_bits(x):
    x &= 0x1FFFFF
    x = (x | x << 32) & 0x1F00000000FFFF
    x = (x | x << 16) & 0x1F0000FF0000FF
    x = (x | x << 8) & 0x100F00F00F00F00F
    x = (x | x << 4) & 0x10C30C30C30C30C3
    return (x | x << 2) & 0x1249249249249249


@exact_kernel
def _codes(points, low, scale, bits, start, stop, out):
    last, first_bit = (np.int64(1) << bits) - 1, np.int64(1) << (bits - 1)
    for i in range(start, stop):
        x = min(max(np.int64((points[i, 0] - low[0]) * scale[0]), 0), last)
        y = min(max(np.int64((points[i, 1] - low[1]) * scale[1]), 0), last)
        z = min(max(np.int64((points[i, 2] - low[2]) * scale[2]), 0), last)
        bit = first_bit
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
        bit = first_bit
        while bit > 1:
            if z & bit:
                turned ^= bit - 1
            bit >>= 1
        x ^= turned
        y ^= turned
        z ^= turned
        out[i] = _spread_bits(x) << 2 | _spread_bits(y) << 1 | _spread_bits(z)


def side_by_side(points, is_rough=False) -> np.ndarray:
    """Return the (N,) int32 numbers of points (N, 3) in such an order; of those in one place, the lowest first.

    is_rough   points within a cell, of 32 in each direction, are in the order of their numbers: several times faster
    """
    points = np.ascontiguousarray(points)
    bits = FEW_BITS if is_rough else BITS
    low, high = box(points)
    scale = ((1 << bits) - 1) / np.maximum(high.astype(np.float64) - low, 1e-30)
    codes = np.empty(len(points), np.int64)
    in_slices(lambda a, b: _codes(points, low, scale, bits, a, b, codes), len(points))
    return frozen(np.argsort(codes.astype(np.uint16) if is_rough else codes, kind="stable"), np.int32)
