"""Rows of three numbers: sums, times weights, and in a lattice."""

import numpy as np

from .compile import flat_rows, frozen, frozen_rows, kernel, same_count
from .threads import in_slices as in_slices_of
from .types import HALF, ONE, ZERO, F

# Work this light is done before another thread has begun.
LIGHT_SLICE = 1 << 17


@kernel
def _alike(amount, weights, out):
    x, y, z = amount[0], amount[1], amount[2]
    for i in range(len(weights)):
        out[3 * i] = x * weights[i]
        out[3 * i + 1] = y * weights[i]
        out[3 * i + 2] = z * weights[i]


@kernel
def _each(amount, weights, ways, out):
    x, y, z = amount[0], amount[1], amount[2]
    for i in range(len(weights)):
        out[3 * i] = x * (weights[i] * ways[3 * i])
        out[3 * i + 1] = y * (weights[i] * ways[3 * i + 1])
        out[3 * i + 2] = z * (weights[i] * ways[3 * i + 2])


@kernel
def _pushed(rows, ways, amounts, out):
    for i in range(len(amounts)):
        out[3 * i] = rows[3 * i] + ways[3 * i] * amounts[i]
        out[3 * i + 1] = rows[3 * i + 1] + ways[3 * i + 1] * amounts[i]
        out[3 * i + 2] = rows[3 * i + 2] + ways[3 * i + 2] * amounts[i]


@kernel
def _pushed_in_part(rows, ways, amounts, weights, factor, out):
    for i in range(len(amounts)):
        amount = amounts[i] * (factor * weights[i])
        out[3 * i] = rows[3 * i] + ways[3 * i] * amount
        out[3 * i + 1] = rows[3 * i + 1] + ways[3 * i + 1] * amount
        out[3 * i + 2] = rows[3 * i + 2] + ways[3 * i + 2] * amount


@kernel
def _added(left, right, out):
    for i in range(len(out)):
        out[i] = left[i] + right[i]


@kernel
def _moved(rows, amount, weights, out):
    x, y, z = amount[0], amount[1], amount[2]
    for i in range(len(weights)):
        out[3 * i] = rows[3 * i] + x * weights[i]
        out[3 * i + 1] = rows[3 * i + 1] + y * weights[i]
        out[3 * i + 2] = rows[3 * i + 2] + z * weights[i]


@kernel
def _side_by_side(x, y, z, out):
    for i in range(len(x)):
        out[3 * i] = x[i]
        out[3 * i + 1] = y[i]
        out[3 * i + 2] = z[i]


@kernel
def _lattice(columns, rows, last, apart, offset, start, stop, places, cells):
    """Fill places start..stop, each list flat, row after row."""
    across, before_x = max(last[0], ONE), last[0] * HALF
    step = apart[0]
    done = 0
    while done < stop - start:
        up = (start + done) // columns
        column = start + done - up * columns
        count = min(columns - column, stop - start - done)
        shift = offset if up % rows % 2 else ZERO
        y, z = F(up % rows), F(up // rows)
        cell_y, cell_z = y / max(last[1], ONE), z / max(last[2], ONE)
        place_y, place_z = (y - last[1] * HALF) * apart[1], (z - last[2] * HALF) * apart[2]
        own_places, own_cells = places[3 * done :], cells[3 * done :]
        for i in range(count):
            x = F(column + i)
            own_cells[3 * i] = x / across
            own_cells[3 * i + 1] = cell_y
            own_cells[3 * i + 2] = cell_z
            own_places[3 * i] = (x - before_x + shift) * step
            own_places[3 * i + 1] = place_y
            own_places[3 * i + 2] = place_z
        done += count


def in_slices(work, count):
    in_slices_of(work, count, LIGHT_SLICE)


def lattice(counts, apart, offset=0.0) -> tuple[np.ndarray, np.ndarray]:
    """Return (N, 3) places around the origin, x fastest, and which share of the way each is along each axis, in 0..1.

    counts  how many places there are along x, y and z
    apart   (3,) from one to the next
    offset  how far along x every other row is shifted, in columns
    """
    columns, rows, layers = counts
    last, apart = np.asarray(counts, F) - ONE, np.ascontiguousarray(apart, F)
    places, cells = np.empty((columns * rows * layers, 3), F), np.empty((columns * rows * layers, 3), F)
    in_slices(
        lambda a, b: _lattice(
            columns, rows, last, apart, F(offset), a, b, flat_rows(places, a, b), flat_rows(cells, a, b)
        ),
        len(places),
    )
    return places, cells


def added_rows(left, right) -> np.ndarray:
    """Return (N, 3) float32: the sums of (N, 3) rows."""
    left, right = frozen_rows(left, 3), frozen_rows(right, 3)
    out = np.empty((same_count(left, right), 3), F)
    in_slices(lambda a, b: _added(flat_rows(left, a, b), flat_rows(right, a, b), flat_rows(out, a, b)), len(out))
    return out


def moved_rows(rows, amount, weights) -> np.ndarray:
    """Return (N, 3) float32: rows (N, 3) and, added to each, an amount (3,) times its weight (N,)."""
    rows, amount, weights = frozen_rows(rows, 3), frozen(amount), frozen(weights)
    out = np.empty((same_count(rows, weights), 3), F)
    in_slices(lambda a, b: _moved(flat_rows(rows, a, b), amount, weights[a:b], flat_rows(out, a, b)), len(out))
    return out


def rows_of(x, y, z) -> np.ndarray:
    """Return (N, 3) float32 of three columns (N,)."""
    x, y, z = frozen(x), frozen(y), frozen(z)
    out = np.empty((same_count(x, y, z), 3), F)
    in_slices(lambda a, b: _side_by_side(x[a:b], y[a:b], z[a:b], flat_rows(out, a, b)), len(out))
    return out


def scaled_rows(amount, weights, ways=None) -> np.ndarray:
    """Return (N, 3) float32: an amount (3,) or (N, 3) times weights (N,), and times ways (N, 3) if there are any."""
    amount, weights = np.asarray(amount, F), np.asarray(weights, F)
    if amount.ndim > 1:
        return amount * (weights[:, None] if ways is None else weights[:, None] * ways)
    amount, weights = frozen(amount), frozen(weights)
    out = np.empty((len(weights), 3), F)
    if ways is None:
        in_slices(lambda a, b: _alike(amount, weights[a:b], flat_rows(out, a, b)), len(out))
    else:
        ways = frozen_rows(ways, 3)
        same_count(weights, ways)
        in_slices(lambda a, b: _each(amount, weights[a:b], flat_rows(ways, a, b), flat_rows(out, a, b)), len(out))
    return out


def pushed_rows(rows, ways, amounts, weights=None, factor=1.0) -> np.ndarray:
    """Return (N, 3) float32: rows (N, 3) and, added to each, its way (N, 3) times its amount (N,).

    weights  (N,) of which each amount is the share, times a factor for all; without them it is the amount itself
    """
    rows, ways, amounts = frozen_rows(rows, 3), frozen_rows(ways, 3), frozen(amounts)
    out = np.empty((same_count(rows, ways, amounts), 3), F)
    if weights is None:
        in_slices(
            lambda a, b: _pushed(flat_rows(rows, a, b), flat_rows(ways, a, b), amounts[a:b], flat_rows(out, a, b)),
            len(out),
        )
        return out
    weights = frozen(weights)
    same_count(amounts, weights)
    in_slices(
        lambda a, b: _pushed_in_part(
            flat_rows(rows, a, b), flat_rows(ways, a, b), amounts[a:b], weights[a:b], F(factor), flat_rows(out, a, b)
        ),
        len(out),
    )
    return out
