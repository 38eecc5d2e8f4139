"""Stretches of curves by arc length, with all that their points carry."""

from dataclasses import replace

import numpy as np

from ..data import Mesh
from ..data.mesh import Lines, Topology, shares_along


def trimmed(mesh: Mesh, starts, ends) -> Mesh:
    """Return the stretch of each curve between two shares of its length; faces are left out.

    starts, ends  (L,) in 0..1; where the end is not beyond the start nothing of a curve is left
    Returns       a Mesh of curves; a closed one of which something is left out is open
    """
    lines = mesh.topology.lines
    if lines is None or not lines.count:
        return Mesh.empty()
    starts, ends = np.clip(starts, 0, 1), np.clip(ends, 0, 1)
    offsets, corners, shares = unrolled(mesh.points, lines)
    numbers = np.flatnonzero((ends > starts) & (np.diff(offsets) > 1))
    # Each curve has a range of its own, so that all are searched at once.
    ranges = 2.0 * np.repeat(np.arange(lines.count), np.diff(offsets)) + shares
    first, first_share = _found(ranges, shares, offsets, numbers, starts)
    last, last_share = _found(ranges, shares, offsets, numbers, ends)
    # From the row before the start to the one before the end, and the end itself.
    sizes = last - first + 2
    begins, finals = np.cumsum(sizes) - sizes, np.cumsum(sizes) - 1
    rows = np.arange(sizes.sum()) - np.repeat(begins - first, sizes)
    share = np.zeros(len(rows), np.float32)
    share[begins], rows[finals], share[finals] = first_share, last, last_share
    cut = mixed(mesh, corners[rows], corners[np.minimum(rows + 1, len(corners) - 1)], share)
    closed = lines.closed[numbers] & (starts[numbers] <= 0) & (ends[numbers] >= 1)
    keep = _kept(cut.points, begins, finals[closed])
    topology = Topology.of_lines(np.add.reduceat(keep.astype(int), begins) if len(begins) else sizes, closed)
    made = cut.gathered(keep, topology)
    along = shares_along(made.points, topology.lines)
    return replace(made, at_points=made.at_points.with_(along=along), at_curves=mesh.at_curves.gathered(numbers))


def _kept(points, begins, ends_of_closed) -> np.ndarray:
    """Which of the points of curves stay: one that is met exactly stands there once."""
    keep = np.ones(len(points), bool)
    keep[1:] = (points[1:] != points[:-1]).any(axis=1)
    keep[begins] = True
    # The way back of a closed curve leads to its first point, not to a copy of it.
    keep[ends_of_closed] = False
    return keep


def unrolled(points, lines: Lines):
    """Offsets, corners and shares 0..1 of curves, the first point of each closed one again at its end."""
    counts = lines.sizes + (lines.closed & (lines.sizes > 0))
    offsets = np.concatenate([[0], np.cumsum(counts)])
    own = np.arange(offsets[-1]) - np.repeat(offsets[:-1], counts)
    own = np.where(own < np.repeat(lines.sizes, counts), own, 0)
    corners = lines.corners[np.repeat(lines.offsets[:-1], counts) + own]
    at = points[corners].astype(np.float64)
    steps = np.zeros(len(corners))
    steps[1:] = np.linalg.norm(at[1:] - at[:-1], axis=1)
    has_points = counts > 0
    steps[offsets[:-1][has_points]] = 0
    way = np.cumsum(steps)
    way -= np.repeat(way[offsets[:-1][has_points]], counts[has_points])
    whole = np.repeat(way[offsets[1:][has_points] - 1], counts[has_points])
    return offsets, corners, way / np.maximum(whole, 1e-12)


def _found(ranges, shares, offsets, numbers, places):
    """For some curves the row in which a place lies, and how far it is towards the next row."""
    begins, ends = offsets[:-1][numbers], offsets[1:][numbers]
    row = np.searchsorted(ranges, 2.0 * numbers + places[numbers], "right") - 1
    row = np.clip(row, begins, ends - 2)
    step = shares[row + 1] - shares[row]
    share = np.where(step > 0, (places[numbers] - shares[row]) / np.maximum(step, 1e-12), 0)
    return row, np.clip(share, 0, 1)


def mixed(mesh, first, second, share) -> Mesh:
    """Points between two others each, with all that they carry; joined by nothing."""
    column = share[:, None]
    blended = lambda array: array[first] * (1 - column) + array[second] * column  # noqa: E731
    nearest = lambda array: array[np.where(share < 0.5, first, second)]  # noqa: E731
    return Mesh(
        blended(mesh.points),
        Topology(np.zeros(1), np.zeros(0), len(first)),
        colours=None if mesh.colours is None else blended(mesh.colours),
        opacity=None if mesh.opacity is None else blended(mesh.opacity[:, None])[:, 0],
        at_points=mesh.at_points.mapped(blended, nearest),
    )
