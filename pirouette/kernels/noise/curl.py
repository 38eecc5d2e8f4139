"""Turbulence without sources: the curl of three gradient noises, with exact slopes, changing in time like these.

Sources: R. Bridson, J. Hourihan, M. Nordenstam, "Curl-noise for procedural fluid flow", SIGGRAPH 2007, for the curl of
a noise as a flow; I. Quilez, "Gradient noise derivatives" (2017), for the slopes of a blend of gradients.
"""

import numpy as np

from ..bits import bits, mix
from ..compile import bare_kernel, flat_rows, frozen, frozen_rows, kernel
from ..threads import in_slices
from ..types import ONE, TWO, F, U
from .gradient import TENTH_BITS, cell, fade, pattern_of, place_of, ring_walk, salts_of, walk_of

# Makes the usual lengths a little below 1.
SCALE = F(0.84)
FADE_SLOPE = F(30.0)
SLICE = 1024


@bare_kernel
def _corner(corner, time, few, share, limit, dx, dy, dz):
    """The gradient of a lattice corner, which walks round its ring, see gradient.py, and the noise's value there."""
    a, b, t = ring_walk(mix(corner), time, few, share, limit)
    x = (bits(a, 0, 10) + (bits(b, 0, 10) - bits(a, 0, 10)) * t) * TENTH_BITS - ONE
    y = (bits(a, 10, 10) + (bits(b, 10, 10) - bits(a, 10, 10)) * t) * TENTH_BITS - ONE
    z = (bits(a, 22, 10) + (bits(b, 22, 10) - bits(a, 22, 10)) * t) * TENTH_BITS - ONE
    return x, y, z, x * dx + y * dy + z * dz


@bare_kernel
def _joined(a, b, t):
    """Between two corners: the mean gradient, the value, and how far the value rises from one to the other."""
    return (
        a[0] + (b[0] - a[0]) * t,
        a[1] + (b[1] - a[1]) * t,
        a[2] + (b[2] - a[2]) * t,
        a[3] + (b[3] - a[3]) * t,
        b[3] - a[3],
    )


@bare_kernel
def _slopes(x, y, z, edges, hz0, hz1, walk):
    """The slopes of one noise along x, y and z in its cell."""
    h00, h10, h01, h11 = edges
    time, few, share, limit = walk
    u, v, w = fade(x), fade(y), fade(z)
    du = FADE_SLOPE * x * x * (x * (x - TWO) + ONE)
    dv = FADE_SLOPE * y * y * (y * (y - TWO) + ONE)
    dw = FADE_SLOPE * z * z * (z * (z - TWO) + ONE)
    x1, y1, z1 = x - ONE, y - ONE, z - ONE
    a = _joined(
        _corner(U(h00 ^ hz0), time, few, share, limit, x, y, z),
        _corner(U(h10 ^ hz0), time, few, share, limit, x1, y, z),
        u,
    )
    b = _joined(
        _corner(U(h01 ^ hz0), time, few, share, limit, x, y1, z),
        _corner(U(h11 ^ hz0), time, few, share, limit, x1, y1, z),
        u,
    )
    c = _joined(
        _corner(U(h00 ^ hz1), time, few, share, limit, x, y, z1),
        _corner(U(h10 ^ hz1), time, few, share, limit, x1, y, z1),
        u,
    )
    d = _joined(
        _corner(U(h01 ^ hz1), time, few, share, limit, x, y1, z1),
        _corner(U(h11 ^ hz1), time, few, share, limit, x1, y1, z1),
        u,
    )
    near, far = _joined(a, b, v), _joined(c, d, v)
    whole = _joined(near, far, w)
    low, high = a[4] + (b[4] - a[4]) * v, c[4] + (d[4] - c[4]) * v
    rise_y = near[4] + (far[4] - near[4]) * w
    return whole[0] + du * (low + (high - low) * w), whole[1] + dv * rise_y, whole[2] + dw * whole[4]


@kernel
def _curl(points, pattern, walk, out):
    inv_size, offset, octaves, gain, salts, amplitude = pattern
    mean = (inv_size[0] + inv_size[1] + inv_size[2]) / F(3.0)
    rx, ry, rz = inv_size[0] / mean, inv_size[1] / mean, inv_size[2] / mean
    frequency = ONE
    for octave in range(octaves):
        fx, fy, fz = inv_size[0] * frequency, inv_size[1] * frequency, inv_size[2] * frequency
        shift = F(octave) * F(17.37)
        ox, oy, oz = offset[0] * frequency + shift, offset[1] * frequency + shift, offset[2] * frequency + shift
        strength = amplitude * SCALE
        salt_a, salt_b, salt_c = salts[0, octave], salts[1, octave], salts[2, octave]
        for i in range(len(out) // 3):
            x, y, z, edges, hz0, hz1 = cell(*place_of(points, i, fx, fy, fz, ox, oy, oz))
            ax, ay, az = _slopes(x, y, z, edges, U(hz0 ^ salt_a), U(hz1 ^ salt_a), walk)
            bx, by, bz = _slopes(x, y, z, edges, U(hz0 ^ salt_b), U(hz1 ^ salt_b), walk)
            cx, cy, cz = _slopes(x, y, z, edges, U(hz0 ^ salt_c), U(hz1 ^ salt_c), walk)
            out[3 * i] += strength * (cy * ry - bz * rz)
            out[3 * i + 1] += strength * (az * rz - cx * rx)
            out[3 * i + 2] += strength * (bx * rx - ay * ry)
        frequency *= TWO
        amplitude *= gain


def curl_noise(points, inv_size, offset, octaves, gain, seeds, churn, time, wraps) -> np.ndarray:
    """Sample the curl of three noises.

    seeds    one for each of the noises
    Returns  (N, 3) float32, usually shorter than 1, mean 0, with divergence 0; a layer is half as wide as the one
             before and `gain` as strong
    The other arguments are as in `moving_noise`.
    """
    salts = frozen([salts_of(seed, octaves) for seed in seeds], U)
    points, pattern = frozen_rows(points, 3), pattern_of(inv_size, offset, octaves, gain, salts)
    walk, out = walk_of(churn, time, wraps), np.zeros((len(points), 3), F)
    in_slices(lambda a, b: _curl(flat_rows(points, a, b), pattern, walk, flat_rows(out, a, b)), len(points), SLICE)
    return out
