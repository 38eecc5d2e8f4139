"""Cell noise: how far the nearest two of points strewn through space are, one in each cell of a lattice.

Source: S. Worley, "A cellular texture basis function", SIGGRAPH 1996. Time is ours: the point of each cell walks round
its own ring of places, as the gradients of gradient.py do, so that it comes back to where it was after one loop.
"""

import numpy as np

from ..bits import bits, mix, times
from ..compile import bare_kernel, flat_rows, frozen, frozen_rows, kernel
from ..threads import in_slices
from ..types import F, I, U
from .gradient import PRIME_X, PRIME_Y, PRIME_Z, ring_walk, salts_of, walk_of

PLACE_BITS = F(1.0 / 1023.0)
FAR = F(64.0)
SLICE = 1 << 14
BLOCK = 512


@bare_kernel
def _gap(a, b, t, x, y, z):
    """The square of the distance from a place in its cell to where a cell's point is between two stations."""
    px = (bits(a, 0, 10) + (bits(b, 0, 10) - bits(a, 0, 10)) * t) * PLACE_BITS - x
    py = (bits(a, 10, 10) + (bits(b, 10, 10) - bits(a, 10, 10)) * t) * PLACE_BITS - y
    pz = (bits(a, 22, 10) + (bits(b, 22, 10) - bits(a, 22, 10)) * t) * PLACE_BITS - z
    return px * px + py * py + pz * pz


@kernel
def _cells(points, inv_size, offset, salt, walk, moves, nearest, second, own):
    """Squares of the distances to the nearest two points, and a number 0..1 of the cell that each place is in.

    One neighbouring cell after the other, for many places at once, so that the loop vectorises.
    """
    time, few, share, limit = walk
    x, y, z = np.empty(BLOCK, F), np.empty(BLOCK, F), np.empty(BLOCK, F)
    hx, hy, hz = np.empty(BLOCK, U), np.empty(BLOCK, U), np.empty(BLOCK, U)
    for start in range(0, len(nearest), BLOCK):
        count = min(BLOCK, len(nearest) - start)
        best, after = nearest[start : start + count], second[start : start + count]
        cell = own[start : start + count]
        at = points[3 * start : 3 * (start + count)]
        for i in range(count):
            px, py, pz = (
                at[3 * i] * inv_size[0] + offset[0],
                at[3 * i + 1] * inv_size[1] + offset[1],
                at[3 * i + 2] * inv_size[2] + offset[2],
            )
            bx, by, bz = np.floor(px), np.floor(py), np.floor(pz)
            x[i], y[i], z[i] = px - bx, py - by, pz - bz
            hx[i], hy[i], hz[i] = times(U(I(bx)), PRIME_X), times(U(I(by)), PRIME_Y), times(U(I(bz)), PRIME_Z)
            best[i] = FAR
            after[i] = FAR
            h = mix(U(hx[i] ^ hy[i] ^ hz[i] ^ salt))
            if moves:
                a, b, t = ring_walk(h, time, few, share, limit)
                cell[i] = (bits(a, 0, 10) + (bits(b, 0, 10) - bits(a, 0, 10)) * t) * PLACE_BITS
            else:
                cell[i] = bits(h, 0, 10) * PLACE_BITS
        for number in range(27):
            dx, dy, dz = number % 3 - 1, number // 3 % 3 - 1, number // 9 - 1
            ox, oy, oz = F(dx), F(dy), F(dz)
            px, py, pz = U(U(dx) * PRIME_X), U(U(dy) * PRIME_Y), U(U(dz) * PRIME_Z)
            if moves:
                for i in range(count):
                    h = mix(U(U(hx[i] + px) ^ U(hy[i] + py) ^ U(hz[i] + pz) ^ salt))
                    a, b, t = ring_walk(h, time, few, share, limit)
                    square = _gap(a, b, t, x[i] - ox, y[i] - oy, z[i] - oz)
                    after[i] = min(after[i], max(best[i], square))
                    best[i] = min(best[i], square)
            else:
                for i in range(count):
                    h = mix(U(U(hx[i] + px) ^ U(hy[i] + py) ^ U(hz[i] + pz) ^ salt))
                    qx = bits(h, 0, 10) * PLACE_BITS - (x[i] - ox)
                    qy = bits(h, 10, 10) * PLACE_BITS - (y[i] - oy)
                    qz = bits(h, 22, 10) * PLACE_BITS - (z[i] - oz)
                    square = qx * qx + qy * qy + qz * qz
                    after[i] = min(after[i], max(best[i], square))
                    best[i] = min(best[i], square)


def cell_noise(points, inv_size, offset, seed, churn, time, wraps):
    """Sample one layer of cell noise.

    points    (N, 3) float32; inv_size (3,), 1 / the size of a cell along each axis
    Returns   (N,) float32 each: how far the nearest point is and the second nearest, in cells, up to about 1 and 1.4;
              and a number 0..1 of the cell of the lattice
    The other arguments are as in `moving_noise`; with `wraps`, time 0 and 1 give the same bytes.
    """
    points = frozen_rows(points, 3)
    inv_size, offset, salt, walk = frozen(inv_size), frozen(offset), salts_of(seed, 1)[0], walk_of(churn, time, wraps)
    nearest, second, own = (np.empty(len(points), F) for _ in range(3))
    moves = churn > 0

    def part(a, b):
        _cells(flat_rows(points, a, b), inv_size, offset, salt, walk, moves, nearest[a:b], second[a:b], own[a:b])

    in_slices(part, len(points), SLICE)
    return np.sqrt(nearest), np.sqrt(second), own
