"""Balls that are pushed apart where they touch, a few times over, with the same result for any number of threads."""

from typing import NamedTuple

import numpy as np

from ..compile import exact_kernel, frozen
from ..threads import in_slices
from ..types import F, L
from .box import box


class _Balls(NamedTuple):
    points: np.ndarray  # (N, 3) float32
    radii: np.ndarray  # (N,) float32
    give: np.ndarray  # (N,) float32: how readily each gives way
    free: np.ndarray  # (3,) float32: 1 for the axes along which they may move, else 0


class _Cells(NamedTuple):
    """A lattice of cells over them: those of cell c are order[starts[c] : starts[c + 1]]."""

    low: np.ndarray  # (3,) float32
    inv: np.float32  # 1 / the size of a cell
    counts: np.ndarray  # (3,) int64
    order: np.ndarray  # (N,) int64
    starts: np.ndarray  # (cells + 1,) int64


@exact_kernel
def _cell(point, low, inv, counts):
    code = L(0)
    for k in range(3):
        place = L((point[k] - low[k]) * inv)
        code = code * counts[k] + min(max(place, L(0)), counts[k] - 1)
    return code


@exact_kernel
def _codes(points, low, inv, counts, start, stop, out):
    for i in range(start, stop):
        out[i] = _cell(points[i], low, inv, counts)


@exact_kernel
def _push(balls, cells, start, stop, out):
    """Each ball moves by half of every overlap; all move at once, so no order of work shows."""
    points, radii, give, free = balls
    low, inv, counts, order, starts = cells
    for i in range(start, stop):
        total = np.zeros(3, F)
        place = np.empty(3, L)
        for k in range(3):
            place[k] = min(max(L((points[i, k] - low[k]) * inv), L(0)), counts[k] - 1)
        for cx in range(max(place[0] - 1, 0), min(place[0] + 2, counts[0])):
            for cy in range(max(place[1] - 1, 0), min(place[1] + 2, counts[1])):
                for cz in range(max(place[2] - 1, 0), min(place[2] + 2, counts[2])):
                    code = (cx * counts[1] + cy) * counts[2] + cz
                    for n in range(starts[code], starts[code + 1]):
                        j = order[n]
                        if j == i:
                            continue
                        dx = (points[i, 0] - points[j, 0]) * free[0]
                        dy = (points[i, 1] - points[j, 1]) * free[1]
                        dz = (points[i, 2] - points[j, 2]) * free[2]
                        wide = radii[i] + radii[j]
                        square = dx * dx + dy * dy + dz * dz
                        if square >= wide * wide:
                            continue
                        away = np.sqrt(square)
                        if away < F(1e-6):
                            # In one place: they part along a direction that their numbers give, opposite for the two.
                            turn = F((min(i, j) * 7919 + max(i, j)) % 360) * F(np.pi / 180.0)
                            sign = F(1.0) if i < j else F(-1.0)
                            dx = np.cos(turn) * sign * free[0]
                            dy = np.sin(turn) * sign * free[1]
                            dz = np.cos(turn * F(1.7)) * sign * free[2]
                            away = max(np.sqrt(dx * dx + dy * dy + dz * dz), F(1e-6))
                        share = give[i] / max(give[i] + give[j], F(1e-6))
                        push = (wide - np.sqrt(square)) * share / away
                        total[0] += dx * push
                        total[1] += dy * push
                        total[2] += dz * push
        for k in range(3):
            # A little less than all of it: many neighbours push at once.
            out[i, k] = points[i, k] + total[k] * F(0.6)


def _counts(extent, size):
    """How many cells of a size lie along each axis."""
    return np.maximum(np.floor(extent / size).astype(L) + 1, 1)


# So many cells for each ball are as quick to go through as the balls themselves.
CELLS_EACH = 2


def make_room(points, radii, give, free, times: int, check_wanted=lambda: None) -> np.ndarray:
    """Return (N, 3) float32 places of balls after they were pushed apart `times` times.

    radii         (N,) of the balls
    give          (N,) 0..1, how readily each gives way
    free          (3,) 1 for the axes along which they may move, else 0
    check_wanted  called before each time; what it raises ends the work
    """
    points = np.array(points, F)
    radii, give, free = frozen(radii), frozen(give), frozen(free)
    widest = float(radii.max()) * 2
    if widest <= 0:
        return points
    for _ in range(times):
        check_wanted()
        low, high = box(points)
        extent = high - low
        size = max(widest, float(extent.max()) / 200)
        counts = _counts(extent, size)
        while counts.prod() > max(CELLS_EACH * len(points), 64):
            size *= 1.26
            counts = _counts(extent, size)
        codes = np.empty(len(points), L)
        inv = F(1 / size)
        in_slices(lambda a, b, p=points, lo=low, n=counts, c=codes, v=inv: _codes(p, lo, v, n, a, b, c), len(points))
        order = np.argsort(codes, kind="stable")
        starts = np.concatenate([[0], np.cumsum(np.bincount(codes, minlength=int(counts.prod())))])
        out = np.empty_like(points)
        balls, cells = _Balls(points, radii, give, free), _Cells(low, inv, counts, order, starts)
        in_slices(lambda a, b, p=balls, c=cells, to=out: _push(p, c, a, b, to), len(points), 4096)
        if np.array_equal(out, points):
            break
        points = out
    return points
