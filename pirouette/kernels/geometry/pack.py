"""Packs moving points for the page: 12 bytes each, positions in 16 bits within their bounds, normals folded flat.

Source for the normals: Z. Cigolle et al., "A survey of efficient representations for independent unit vectors",
Journal of Computer Graphics Techniques 3 (2014): the octahedral map.
"""

import numpy as np

from ..compile import frozen, kernel
from ..threads import in_slices
from ..types import HALF, ONE, ZERO, F

FULL = F(65535.0)


@kernel
def _pack(points, normals, low, scale, start, stop, places, folded):
    for i in range(start, stop):
        for k in range(3):
            places[i, k] = np.uint16((points[i, k] - low[k]) * scale[k] + HALF)
        places[i, 3] = 0
        x, y, z = normals[i, 0], normals[i, 1], normals[i, 2]
        inv = ONE / max(abs(x) + abs(y) + abs(z), F(1e-20))
        x *= inv
        y *= inv
        fold_x = (ONE - abs(y)) * (ONE if x >= ZERO else -ONE)
        fold_y = (ONE - abs(x)) * (ONE if y >= ZERO else -ONE)
        u = fold_x if z < ZERO else x
        v = fold_y if z < ZERO else y
        folded[i, 0] = np.uint16((u * HALF + HALF) * FULL + HALF)
        folded[i, 1] = np.uint16((v * HALF + HALF) * FULL + HALF)


THINNEST = 1e-30


def pack_points(points, normals, low, high) -> np.ndarray:
    """Return (V * 6,) uint16: for all points x, y, z within the bounds and 0, then for all two normal coordinates.

    points, normals  (V, 3) float32
    low, high        (3,) the bounds of the points
    """
    points, normals, low = frozen(points), frozen(normals), frozen(low)
    extent = np.asarray(high, np.float32) - low
    # What is thinner than that is flat: its share of the range would be no number.
    is_wide = extent > THINNEST
    scale = frozen(np.where(is_wide, 65535.0 / np.where(is_wide, extent, 1), 0))
    out = np.empty(len(points) * 6, np.uint16)
    places, folded = out[: len(points) * 4].reshape(-1, 4), out[len(points) * 4 :].reshape(-1, 2)
    in_slices(lambda a, b: _pack(points, normals, low, scale, a, b, places, folded), len(points))
    return out
