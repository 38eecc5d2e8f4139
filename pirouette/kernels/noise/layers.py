"""Patterns as layers of noise that are added up, for one place after the other: what surfaces are painted with.

The view's shader does the same, see studio/static/studio/js/viewport/pattern.js; change both together.
"""

from typing import NamedTuple

import numpy as np

from ..bits import bits, mix, times
from ..compile import bare_kernel, called_kernel, frozen, frozen_rows, kernel
from ..threads import in_slices
from ..types import ONE, ZERO, F, I, U
from .cells import FAR, PLACE_BITS
from .gradient import (
    MOVING_SCALE,
    PRIME_X,
    PRIME_Y,
    PRIME_Z,
    STILL_SCALE,
    blend,
    cell,
    fade,
    moving_blend,
    ring_walk,
)

# Columns of a layer: which noise it is, how much it counts, how much finer it is than what its places are told in,
# where it lies, in cells of its own, and how far it has walked, see `ring_walk`; it stands still where LIMIT is 0.
SHAPE, WEIGHT, FREQUENCY, OFFSET, TIME, FEW, SHARE, LIMIT, LAYER_SIZE = 0, 1, 2, 3, 6, 7, 8, 9, 10
# What a noise is, by its number.
SOFT, RIDGES, BILLOWS, CELLS, CRACKS, BLOCKS = range(6)
# What makes each about -1..1 with its mean near 0.
FOLD, FOLD_MEAN = F(8 / 3), F(2 / 3)
CELL_MEAN, CRACK_MEAN = F(1.04), F(0.39)


class Layers(NamedTuple):
    """A pattern: its layers, each a row of numbers and one that its hashes begin with."""

    rows: np.ndarray  # (L, LAYER_SIZE) float32
    salts: np.ndarray  # (L,) uint32


@bare_kernel
def _soft(x, y, z, salt, walk):
    inside_x, inside_y, inside_z, edges, hz0, hz1 = cell(x, y, z)
    hz0, hz1 = U(hz0 ^ salt), U(hz1 ^ salt)
    if walk[3] > 0:
        return MOVING_SCALE * moving_blend(inside_x, inside_y, inside_z, edges, hz0, hz1, walk)
    u, v, w = fade(inside_x), fade(inside_y), fade(inside_z)
    return STILL_SCALE * blend(inside_x, inside_y, inside_z, u, v, w, edges, hz0, hz1)


@bare_kernel
def _stations(h, walk):
    """The two hashes that a cell is between, and how far."""
    time, few, share, limit = walk
    if limit > 0:
        return ring_walk(h, time, few, share, limit)
    return h, h, ZERO


@bare_kernel
def _block(x, y, z, salt, walk):
    """The number of the cell that a place is in."""
    hx, hy = times(U(I(np.floor(x))), PRIME_X), times(U(I(np.floor(y))), PRIME_Y)
    a, b, t = _stations(mix(U(hx ^ hy ^ times(U(I(np.floor(z))), PRIME_Z) ^ salt)), walk)
    return (bits(a, 0, 10) + (bits(b, 0, 10) - bits(a, 0, 10)) * t) * PLACE_BITS * F(2.0) - ONE


@bare_kernel
def _to_point(h, walk, x, y, z):
    """The way from a place in its cell to where the point of a cell is."""
    a, b, t = _stations(h, walk)
    px = (bits(a, 0, 10) + (bits(b, 0, 10) - bits(a, 0, 10)) * t) * PLACE_BITS - x
    py = (bits(a, 10, 10) + (bits(b, 10, 10) - bits(a, 10, 10)) * t) * PLACE_BITS - y
    pz = (bits(a, 22, 10) + (bits(b, 22, 10) - bits(a, 22, 10)) * t) * PLACE_BITS - z
    return px, py, pz


@bare_kernel
def _gap_to(at, step):
    """How far it is along an axis from a place in its cell to the cell before (-1), itself (0) or the next (1)."""
    return at if step < 0 else (ONE - at if step > 0 else ZERO)


@bare_kernel
def _of_cells(shape, x, y, z, salt, walk):
    """Cells or cracks, by the distances to the nearest two points; and how that changes along x, y and z."""
    bx, by, bz = np.floor(x), np.floor(y), np.floor(z)
    x, y, z = x - bx, y - by, z - bz
    hx, hy, hz = times(U(I(bx)), PRIME_X), times(U(I(by)), PRIME_Y), times(U(I(bz)), PRIME_Z)
    nearest, second = FAR, FAR
    x1, y1, z1 = ZERO, ZERO, ZERO
    x2, y2, z2 = ZERO, ZERO, ZERO
    for turn in range(27):
        # The cell itself first: most of the others are farther away than two points that are known by then.
        number = (turn + 13) % 27
        dx, dy, dz = number % 3 - 1, number // 3 % 3 - 1, number // 9 - 1
        gap_x, gap_y, gap_z = _gap_to(x, dx), _gap_to(y, dy), _gap_to(z, dz)
        if gap_x * gap_x + gap_y * gap_y + gap_z * gap_z > second:
            continue
        h = mix(U(U(hx + U(U(dx) * PRIME_X)) ^ U(hy + U(U(dy) * PRIME_Y)) ^ U(hz + U(U(dz) * PRIME_Z)) ^ salt))
        px, py, pz = _to_point(h, walk, x - F(dx), y - F(dy), z - F(dz))
        square = px * px + py * py + pz * pz
        if square < nearest:
            second, x2, y2, z2 = nearest, x1, y1, z1
            nearest, x1, y1, z1 = square, px, py, pz
        elif square < second:
            second, x2, y2, z2 = square, px, py, pz
    far = np.sqrt(nearest)
    inv = F(-2.0) / max(far, F(1e-9))
    if shape == CELLS:
        return far * F(2.0) - CELL_MEAN, x1 * inv, y1 * inv, z1 * inv
    far_2 = np.sqrt(second)
    inv_2 = F(-2.0) / max(far_2, F(1e-9))
    value = (far_2 - far) * F(2.0) - CRACK_MEAN
    return value, x2 * inv_2 - x1 * inv, y2 * inv_2 - y1 * inv, z2 * inv_2 - z1 * inv


@bare_kernel
def _of_others(shape, x, y, z, salt, walk):
    """Any noise but cells and cracks."""
    if shape == BLOCKS:
        return _block(x, y, z, salt, walk)
    value = _soft(x, y, z, salt, walk)
    if shape == SOFT:
        return value
    value = abs(value) * FOLD - FOLD_MEAN
    return -value if shape == RIDGES else value


@called_kernel
def pattern_at(layers, first, stop, at, right, down):
    """The sum of layers first..stop at a place, and how much it changes by two short ways from there."""
    total, across, along = ZERO, ZERO, ZERO
    for k in range(first, stop):
        row, salt = layers.rows[k], layers.salts[k]
        frequency, weight, shape = row[FREQUENCY], row[WEIGHT], I(row[SHAPE])
        walk = row[TIME], I(row[FEW]), row[SHARE], I(row[LIMIT])
        x = at[0] * frequency + row[OFFSET]
        y = at[1] * frequency + row[OFFSET + 1]
        z = at[2] * frequency + row[OFFSET + 2]
        rx, ry, rz = right[0] * frequency, right[1] * frequency, right[2] * frequency
        dx, dy, dz = down[0] * frequency, down[1] * frequency, down[2] * frequency
        if shape in (CELLS, CRACKS):
            value, by_x, by_y, by_z = _of_cells(shape, x, y, z, salt, walk)
            across += weight * (by_x * rx + by_y * ry + by_z * rz)
            along += weight * (by_x * dx + by_y * dy + by_z * dz)
        else:
            value = _of_others(shape, x, y, z, salt, walk)
            across += weight * (_of_others(shape, x + rx, y + ry, z + rz, salt, walk) - value)
            along += weight * (_of_others(shape, x + dx, y + dy, z + dz, salt, walk) - value)
        total += weight * value
    return total, across, along


@kernel
def _sampled(points, layers, out):
    for i in range(len(out)):
        at = points[i, 0], points[i, 1], points[i, 2]
        out[i] = pattern_at(layers, 0, len(layers.salts), at, (ZERO, ZERO, ZERO), (ZERO, ZERO, ZERO))[0]


def sample_layers(points, layers: Layers) -> np.ndarray:
    """Return the (N,) float32 sums of a pattern's layers at (N, 3) places, in what its layers are told in."""
    points, out = frozen_rows(points, 3), np.empty(len(points), F)
    layers = Layers(frozen(layers.rows), frozen(layers.salts, U))
    in_slices(lambda a, b: _sampled(points[a:b], layers, out[a:b]), len(points))
    return out
