"""Links between points: which are near each other, and which of many possible links are taken, the shortest first."""

import numpy as np

from ..compile import exact_kernel, frozen
from ..threads import in_slices
from .box import box

# A grid has no more cells than so many times as many as there are points.
MOST_CELLS = 8
# So many pairs of a point are written down while they are counted.
ROOM = 12
MOST_MOVES = 16


@exact_kernel
def _cell_of(points, low, inverse, counts, start, stop, out):
    for i in range(start, stop):
        x = min(int((points[i, 0] - low[0]) * inverse), counts[0] - 1)
        y = min(int((points[i, 1] - low[1]) * inverse), counts[1] - 1)
        z = min(int((points[i, 2] - low[2]) * inverse), counts[2] - 1)
        out[i] = x + counts[0] * (y + counts[1] * z)


@exact_kernel
def _search(points, i, cells, order, firsts, counts, reach, others, lengths):
    """How many points with higher numbers are near point i; the first of them are written down in their order."""
    nx, ny, nz = counts[0], counts[1], counts[2]
    square = reach * reach
    cell = cells[i]
    x, y, z = cell % nx, cell // nx % ny, cell // (nx * ny)
    px, py, pz = points[i, 0], points[i, 1], points[i, 2]
    found = 0
    for k in range(max(z - 1, 0), min(z + 2, nz)):
        for j in range(max(y - 1, 0), min(y + 2, ny)):
            row = nx * (j + ny * k)
            # Cells side by side along x follow each other.
            for n in range(firsts[row + max(x - 1, 0)], firsts[row + min(x + 1, nx - 1) + 1]):
                other = order[n]
                if other <= i:
                    continue
                dx, dy, dz = points[other, 0] - px, points[other, 1] - py, points[other, 2] - pz
                away = dx * dx + dy * dy + dz * dz
                if away >= square:
                    continue
                if found < len(others):
                    at = found
                    while at > 0 and others[at - 1] > other:
                        others[at] = others[at - 1]
                        lengths[at] = lengths[at - 1]
                        at -= 1
                    others[at] = other
                    lengths[at] = np.sqrt(away)
                found += 1
    return found


@exact_kernel
def _near(near, start, stop, others, lengths, found):
    points, cells, order, firsts, counts, reach = near
    for i in range(start, stop):
        found[i] = _search(points, i, cells, order, firsts, counts, reach, others[i], lengths[i])


@exact_kernel
def _listed(near, start, stop, others, lengths, offsets, ends, out):
    """All pairs one after the other; of points with more of them than were written down they are looked for again."""
    points, cells, order, firsts, counts, reach = near
    room = others.shape[1]
    for i in range(start, stop):
        first, last = offsets[i], offsets[i + 1]
        if last - first <= room:
            for n in range(last - first):
                ends[first + n, 1] = others[i, n]
                out[first + n] = lengths[i, n]
        else:
            _search(points, i, cells, order, firsts, counts, reach, ends[first:last, 1], out[first:last])
        ends[first:last, 0] = i


@exact_kernel
def _in_order(lengths, low, scale, counts, out):
    """Numbers of lengths, the shortest first and equal ones as they stand, by buckets; how many moved within these."""
    for n in range(len(lengths)):
        counts[int((lengths[n] - low) * scale) + 1] += 1
    for k in range(1, len(counts)):
        counts[k] += counts[k - 1]
    for n in range(len(lengths)):
        bucket = int((lengths[n] - low) * scale)
        out[counts[bucket]] = n
        counts[bucket] += 1
    moves = 0
    for n in range(1, len(lengths)):
        one, at = out[n], n
        while at > 0 and lengths[out[at - 1]] > lengths[one]:
            out[at] = out[at - 1]
            at -= 1
            moves += 1
            if moves > MOST_MOVES * len(lengths):
                return moves
        out[at] = one
    return moves


def in_order(lengths) -> np.ndarray:
    """Return (N,) numbers of lengths (N,), the shortest first and equal ones as they stand."""
    count = len(lengths)
    if count < 2:
        return np.arange(count)
    low, high = float(lengths.min()), float(lengths.max())
    out = np.empty(count, np.int64)
    scale = (count - 1) / (high - low) if high > low else 0.0
    moves = _in_order(lengths, low, scale, np.zeros(count + 1, np.int64), out)
    # Lengths that lie close together, but for a few, are better compared than counted.
    return out if moves <= MOST_MOVES * count else np.argsort(lengths, kind="stable")


def pairs_within(points, reach: float, most: int) -> tuple[np.ndarray, np.ndarray] | None:
    """Return (E, 2) numbers of points (N, 3) nearer than `reach`, lower first, in order, and (E,) lengths.

    most  pairs; if there are more, None
    """
    points = frozen(points, np.float64)
    low, high = box(points)
    extent = np.maximum(high - low, 1e-9)
    size = max(reach, float(np.cbrt(np.prod(extent) / (MOST_CELLS * len(points)))))
    counts = np.maximum(np.ceil(extent / size), 1)
    while np.prod(counts) > MOST_CELLS * len(points) + 64:
        size *= 2
        counts = np.maximum(np.ceil(extent / size), 1)
    counts = counts.astype(np.int64)
    cells, found = np.empty(len(points), np.int64), np.zeros(len(points), np.int64)
    in_slices(lambda a, b: _cell_of(points, low, 1 / size, counts, a, b, cells), len(points), 4096)
    order = np.argsort(cells, kind="stable")
    firsts = np.concatenate([[0], np.cumsum(np.bincount(cells, minlength=int(np.prod(counts))))])

    near = points, cells, order, firsts, counts, float(reach)
    others, lengths = np.empty((len(points), ROOM), np.int64), np.empty((len(points), ROOM))
    in_slices(lambda a, b: _near(near, a, b, others, lengths, found), len(points), 1024)
    offsets = np.concatenate([[0], np.cumsum(found)])
    if offsets[-1] > most:
        return None
    ends, out = np.empty((offsets[-1], 2), np.int64), np.empty(offsets[-1])
    in_slices(lambda a, b: _listed(near, a, b, others, lengths, offsets, ends, out), len(points), 4096)
    return ends, out


@exact_kernel
def _taken(ends, most, degrees, out):
    """ends flat, two for each link, the shortest first."""
    for n in range(len(ends) // 2):
        a, b = ends[2 * n], ends[2 * n + 1]
        out[n] = degrees[a] < most and degrees[b] < most
        if out[n]:
            degrees[a] += 1
            degrees[b] += 1


def taken(ends, point_count: int, most: int) -> np.ndarray:
    """Return (E,) bool: which links are taken of those between points (E, 2), the shortest first.

    most  links at each point
    """
    out = np.zeros(len(ends), bool)
    flat = np.ascontiguousarray(ends, np.int64).reshape(-1)
    _taken(flat, most, np.zeros(point_count, np.int64), out)
    return out
