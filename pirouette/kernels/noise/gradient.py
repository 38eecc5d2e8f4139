"""Gradient noise in space, changing in time on a closed circle.

Source: K. Perlin, "Improving noise", SIGGRAPH 2002, for the fade curve and lattice gradients. Gradients come
from an arithmetic hash (no table, no branch), so the loop vectorises. Time is ours: every lattice corner
walks through its own ring of gradients, each corner starting at its own phase, so that the noise comes
back to exactly the same values after one loop for any amount of churn, at the cost of 3-D noise.
"""

from functools import lru_cache
from typing import NamedTuple

import numpy as np

from ..bits import bits, mix, times
from ..compile import bare_kernel, flat_rows, frozen, frozen_rows, kernel
from ..threads import in_slices
from ..types import ONE, TWO, F, I, U

FADE_6 = F(6.0)
FADE_15 = F(15.0)
FADE_10 = F(10.0)
TENTH_BITS = F(2.0 / 1023.0)
PHASE_BITS = F(1.0 / 4096.0)
PRIME_X = U(0x8DA6B343)
PRIME_Y = U(0xD8163841)
PRIME_Z = U(0xCB1AB31F)
PRIME_T = U(0x9E3779B1)
# Makes the usual extremes about -1 and 1; a blend of two gradients in time is a little calmer.
STILL_SCALE = F(1.35)
MOVING_SCALE = F(1.62)
ENDLESS = 1 << 24


class _Pattern(NamedTuple):
    """Where a noise lies in space, and its layers."""

    inv_size: np.ndarray  # (3,) float32: 1 / the size of the largest features
    offset: np.ndarray  # (3,) float32, in lattice cells
    octaves: int
    gain: np.float32
    salts: np.ndarray  # (octaves,) uint32, or a row for each of three noises
    amplitude: np.float32  # of the first layer


class _Walk(NamedTuple):
    """How far gradients have walked; see `ring_walk`."""

    time: np.float32
    few: np.int32
    share: np.float32  # of the corners whose ring has one more gradient than `few`
    limit: np.int32


@bare_kernel
def _slope(h, dx, dy, dz):
    return (bits(h, 0, 10) * dx + bits(h, 10, 10) * dy + bits(h, 22, 10) * dz) * TENTH_BITS - (dx + dy + dz)


@bare_kernel
def fade(t):
    return t * t * t * (t * (t * FADE_6 - FADE_15) + FADE_10)


@bare_kernel
def _lerp(a, b, t):
    return a + (b - a) * t


@bare_kernel
def cell(x, y, z):
    """Where a place is in its lattice cell, the hashes of the cell's columns and rows, and of its two layers."""
    bx = np.floor(x)
    by = np.floor(y)
    bz = np.floor(z)
    hx0 = times(U(I(bx)), PRIME_X)
    hy0 = times(U(I(by)), PRIME_Y)
    hx1 = U(hx0 + PRIME_X)
    hy1 = U(hy0 + PRIME_Y)
    edges = U(hx0 ^ hy0), U(hx1 ^ hy0), U(hx0 ^ hy1), U(hx1 ^ hy1)
    return x - bx, y - by, z - bz, edges, times(U(I(bz)), PRIME_Z), times(U(I(bz) + I(1)), PRIME_Z)


@bare_kernel
def place_of(points, i, fx, fy, fz, ox, oy, oz):
    """Point i of flat points, scaled and moved."""
    return points[3 * i] * fx + ox, points[3 * i + 1] * fy + oy, points[3 * i + 2] * fz + oz


@bare_kernel
def blend(x, y, z, u, v, w, edges, hz0, hz1):
    """The mean of the slopes of a cell's corners, at a place in it; u, v and w are how near it is to the far ones."""
    h00, h10, h01, h11 = edges
    x1 = x - ONE
    y1 = y - ONE
    z1 = z - ONE
    near = _lerp(
        _lerp(_slope(mix(h00 ^ hz0), x, y, z), _slope(mix(h10 ^ hz0), x1, y, z), u),
        _lerp(_slope(mix(h01 ^ hz0), x, y1, z), _slope(mix(h11 ^ hz0), x1, y1, z), u),
        v,
    )
    far = _lerp(
        _lerp(_slope(mix(h00 ^ hz1), x, y, z1), _slope(mix(h10 ^ hz1), x1, y, z1), u),
        _lerp(_slope(mix(h01 ^ hz1), x, y1, z1), _slope(mix(h11 ^ hz1), x1, y1, z1), u),
        v,
    )
    return _lerp(near, far, w)


@kernel
def _still(points, pattern, out):
    inv_size, offset, octaves, gain, salts, amplitude = pattern
    frequency = ONE
    for octave in range(octaves):
        salt = salts[octave]
        fx, fy, fz = inv_size[0] * frequency, inv_size[1] * frequency, inv_size[2] * frequency
        shift = F(octave) * F(17.37)
        ox, oy, oz = offset[0] * frequency + shift, offset[1] * frequency + shift, offset[2] * frequency + shift
        strength = amplitude * STILL_SCALE
        for i in range(len(out)):
            x, y, z, edges, hz0, hz1 = cell(*place_of(points, i, fx, fy, fz, ox, oy, oz))
            out[i] += strength * blend(x, y, z, fade(x), fade(y), fade(z), edges, U(hz0 ^ salt), U(hz1 ^ salt))
        frequency *= F(2.0)
        amplitude *= gain


@kernel
def _still_vectors(points, pattern, out):
    """Three noises at once, whose salts are the rows of `salts`; they share their lattice."""
    inv_size, offset, octaves, gain, salts, amplitude = pattern
    frequency = ONE
    for octave in range(octaves):
        salt_x, salt_y, salt_z = salts[0, octave], salts[1, octave], salts[2, octave]
        fx, fy, fz = inv_size[0] * frequency, inv_size[1] * frequency, inv_size[2] * frequency
        shift = F(octave) * F(17.37)
        ox, oy, oz = offset[0] * frequency + shift, offset[1] * frequency + shift, offset[2] * frequency + shift
        strength = amplitude * STILL_SCALE
        for i in range(len(out) // 3):
            x, y, z, edges, hz0, hz1 = cell(*place_of(points, i, fx, fy, fz, ox, oy, oz))
            u, v, w = fade(x), fade(y), fade(z)
            out[3 * i] += strength * blend(x, y, z, u, v, w, edges, U(hz0 ^ salt_x), U(hz1 ^ salt_x))
            out[3 * i + 1] += strength * blend(x, y, z, u, v, w, edges, U(hz0 ^ salt_y), U(hz1 ^ salt_y))
            out[3 * i + 2] += strength * blend(x, y, z, u, v, w, edges, U(hz0 ^ salt_z), U(hz1 ^ salt_z))
        frequency *= F(2.0)
        amplitude *= gain


@bare_kernel
def ring_walk(h, time, few, share, limit):
    """The hashes of the two stations that a corner is between on its ring, of `few` or one more, and how far it is.

    A ring of `limit` stations never closes: then time is the number of stations passed already.
    """
    ring = I(few + I(bits(h, 0, 12) * PHASE_BITS < share))
    way = time * F(min(ring, limit)) + bits(h, 12, 12) * PHASE_BITS
    step = I(np.floor(way))
    t = way - F(step)
    first = I(step - (ring if step >= ring else I(0)))
    second = I(first + I(1))
    second = I(0) if second >= ring else second
    return mix(U(h + times(U(first), PRIME_T))), mix(U(h + times(U(second), PRIME_T))), t * t * (F(3.0) - TWO * t)


@bare_kernel
def _moving_slope(corner, time, few, share, limit, dx, dy, dz):
    """The slope of a corner whose gradient walks round its own ring."""
    a, b, t = ring_walk(mix(corner), time, few, share, limit)
    return _lerp(_slope(a, dx, dy, dz), _slope(b, dx, dy, dz), t)


@bare_kernel
def moving_blend(x, y, z, edges, hz0, hz1, walk):
    """The mean of the slopes of a cell's corners that walk round their rings, at a place in it."""
    time, few, share, limit = walk
    h00, h10, h01, h11 = edges
    x1 = x - ONE
    y1 = y - ONE
    z1 = z - ONE
    u = fade(x)
    v = fade(y)
    left = _moving_slope(U(h00 ^ hz0), time, few, share, limit, x, y, z)
    right = _moving_slope(U(h10 ^ hz0), time, few, share, limit, x1, y, z)
    low = _lerp(left, right, u)
    left = _moving_slope(U(h01 ^ hz0), time, few, share, limit, x, y1, z)
    right = _moving_slope(U(h11 ^ hz0), time, few, share, limit, x1, y1, z)
    near = _lerp(low, _lerp(left, right, u), v)
    left = _moving_slope(U(h00 ^ hz1), time, few, share, limit, x, y, z1)
    right = _moving_slope(U(h10 ^ hz1), time, few, share, limit, x1, y, z1)
    low = _lerp(left, right, u)
    left = _moving_slope(U(h01 ^ hz1), time, few, share, limit, x, y1, z1)
    right = _moving_slope(U(h11 ^ hz1), time, few, share, limit, x1, y1, z1)
    far = _lerp(low, _lerp(left, right, u), v)
    return _lerp(near, far, fade(z))


@kernel
def _moving(points, pattern, walk, out):
    inv_size, offset, octaves, gain, salts, amplitude = pattern
    frequency = ONE
    for octave in range(octaves):
        salt = salts[octave]
        fx, fy, fz = inv_size[0] * frequency, inv_size[1] * frequency, inv_size[2] * frequency
        shift = F(octave) * F(17.37)
        ox, oy, oz = offset[0] * frequency + shift, offset[1] * frequency + shift, offset[2] * frequency + shift
        strength = amplitude * MOVING_SCALE
        for i in range(len(out)):
            x, y, z, edges, hz0, hz1 = cell(*place_of(points, i, fx, fy, fz, ox, oy, oz))
            out[i] += strength * moving_blend(x, y, z, edges, U(hz0 ^ salt), U(hz1 ^ salt), walk)
        frequency *= F(2.0)
        amplitude *= gain


@lru_cache(maxsize=1024)
def salts_of(seed, octaves):
    """Return one well-mixed number for each layer: the hash of a corner alone would leave close seeds alike."""
    mixed = np.random.SeedSequence(int(seed)).generate_state(octaves, np.uint32)
    return frozen(mixed, U)


def pattern_of(inv_size, offset, octaves, gain, salts):
    """Return where a noise lies and its layers, as kernels read it; see `still_noise`."""
    amplitude = 1.0 / sum(gain**octave for octave in range(octaves))
    return _Pattern(frozen(inv_size), frozen(offset), int(octaves), F(gain), salts, F(amplitude))


def still_noise(points, inv_size, offset, octaves, gain, seed) -> np.ndarray:
    """Sample noise that does not change in time.

    points    (N, 3) float32
    inv_size  (3,) 1 / the size of the largest features, per axis
    offset    (3,) added to the scaled points, in lattice cells
    octaves   whole number of layers, each half the size of the one before
    gain      strength of each layer against the one before
    Returns   (N,) float32, usually within -1..1, mean 0
    """
    points, pattern = frozen_rows(points, 3), pattern_of(inv_size, offset, octaves, gain, salts_of(seed, octaves))
    out = np.zeros(len(points), F)
    in_slices(lambda a, b: _still(flat_rows(points, a, b), pattern, out[a:b]), len(points))
    return out


def still_noise_vectors(points, inv_size, offset, octaves, gain, seeds) -> np.ndarray:
    """Return (N, 3) float32: the same noise for three seeds, beside each other."""
    salts = frozen([salts_of(seed, octaves) for seed in seeds], U)
    points, pattern = frozen_rows(points, 3), pattern_of(inv_size, offset, octaves, gain, salts)
    out = np.zeros((len(points), 3), F)
    in_slices(lambda a, b: _still_vectors(flat_rows(points, a, b), pattern, flat_rows(out, a, b)), len(points))
    return out


def moving_noise(points, inv_size, offset, octaves, gain, seed, churn, time, wraps) -> np.ndarray:
    """Sample noise whose pattern changes in time.

    churn  how many other patterns it passes through: in each loop if `wraps`, else in each second
    time   the loop's phase 0..1 if `wraps`, else seconds
    The other arguments and the result are as in `still_noise`; with `wraps`, time 0 and 1 give the same bytes.
    """
    points, pattern = frozen_rows(points, 3), pattern_of(inv_size, offset, octaves, gain, salts_of(seed, octaves))
    out = np.zeros(len(points), F)
    walk = walk_of(churn, time, wraps)
    in_slices(lambda a, b: _moving(flat_rows(points, a, b), pattern, walk, out[a:b]), len(points))
    return out


def walk_of(churn, time, wraps) -> _Walk:
    """Return how far gradients have walked; see `moving_noise`."""
    patterns = 1.0 + churn if wraps else 1.0
    few = int(np.floor(patterns)) if wraps else ENDLESS
    moment = F(time - np.floor(time)) if wraps else F(time * churn)
    share = F(patterns - np.floor(patterns)) if wraps else F(0.0)
    return _Walk(moment, I(few), share, I(ENDLESS if wraps else 1))
