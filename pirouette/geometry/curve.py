"""Curves as points by arc length, and frames that travel along them without flipping."""

import numpy as np

from ..data.mesh import Mesh
from ..kernels.geometry.place import unit_rows


def curves_of(mesh: Mesh) -> list[tuple[np.ndarray, bool]]:
    """Return the (N, 3) float64 points of each curve of two points and more, and whether it is closed."""
    lines = mesh.topology.lines
    if lines is None:
        return []
    curves = []
    for start, end, closed in zip(lines.offsets, lines.offsets[1:], lines.closed, strict=False):
        if end - start >= 2:
            curves.append((mesh.points[lines.corners[start:end]].astype(np.float64), bool(closed)))
    return curves


class Line:
    """A curve's corner points, the first again at the end of a closed one, and their arc lengths as shares 0..1."""

    def __init__(self, points, is_closed):
        self.points = np.concatenate([points, points[:1]]) if is_closed else points
        steps = np.linalg.norm(np.diff(self.points, axis=0), axis=1)
        self.length = float(steps.sum())
        self.shares = np.concatenate([[0], np.cumsum(steps)]) / max(self.length, 1e-12)


def sampled(line, place, like: Line | None = None) -> np.ndarray:
    """Return (N, C) numbers at places (N,) in 0..1 by arc length.

    line  a Line, or (P, C) rows that stand at the corners of the Line `like`
    """
    rows = line.points if like is None else line
    shares = (like or line).shares
    return np.stack([np.interp(place, shares, rows[:, k]) for k in range(rows.shape[1])], axis=1)


def resampled(points, is_closed: bool, count: int) -> np.ndarray:
    """Return (count, 3) points evenly along a curve by arc length."""
    line = Line(points, is_closed)
    place = np.arange(count) / (count if is_closed else max(count - 1, 1))
    return sampled(line, place)


def frames_along(points, is_closed: bool) -> tuple[Line, np.ndarray]:
    """Return the line through points and (P, 3, 3) frames at its corners, their columns tangent, side, third.

    The frames turn as little as can be from one to the next. On a closed curve what is left over at its end is
    shared out evenly, so that they come back to where they began.
    Source  W. Wang et al., "Computation of rotation minimizing frames", ACM Transactions on Graphics 27 (2008)
    """
    line = Line(points, is_closed)
    at = line.points
    ways = np.gradient(at, axis=0) if len(at) > 2 else np.repeat(at[1:] - at[:-1], 2, axis=0)
    if is_closed:
        ways[0] = ways[-1] = at[1] - at[-2]
    ways = unit_rows(ways)
    sides = np.empty_like(ways)
    up = np.array([0.0, 1.0, 0.0]) if abs(ways[0, 1]) < 0.9 else np.array([0.0, 0.0, 1.0])
    sides[0] = _across(up, ways[0])
    for i in range(len(at) - 1):
        # Two mirrors: the first carries the point along, the second brings its tangent onto the next one.
        step = at[i + 1] - at[i]
        square = step @ step
        if square < 1e-24:
            sides[i + 1] = sides[i]
            continue
        side = sides[i] - 2 / square * (step @ sides[i]) * step
        way = ways[i] - 2 / square * (step @ ways[i]) * step
        turn = ways[i + 1] - way
        square = turn @ turn
        sides[i + 1] = side if square < 1e-24 else side - 2 / square * (turn @ side) * turn
    if is_closed:
        rest = np.arctan2(np.cross(sides[-1], sides[0]) @ ways[0], sides[-1] @ sides[0])
        angle = (line.shares * rest)[:, None]
        sides = sides * np.cos(angle) + np.cross(ways, sides) * np.sin(angle)
    return line, np.stack([ways, sides, np.cross(ways, sides)], axis=2)


def square_frames(frames, angle, first: int) -> np.ndarray:
    """Return mixed frames made square again and turned about the curve, as axes of what lies along it.

    frames   (N, 9) numbers between those of frames_along
    angle    (N,) radians about the way
    first    which axis, 0 to 2, points along the curve
    Returns  (N, 3, 3), right-handed; columns are the axes
    """
    frames = frames.reshape(-1, 3, 3)
    way = unit_rows(frames[:, :, 0])
    side = unit_rows(frames[:, :, 1] - way * (way * frames[:, :, 1]).sum(axis=1, keepdims=True))
    third, angle = np.cross(way, side), angle[:, None]
    side, third = side * np.cos(angle) + third * np.sin(angle), third * np.cos(angle) - side * np.sin(angle)
    columns = [None] * 3
    columns[first], columns[(first + 1) % 3], columns[(first + 2) % 3] = way, side, third
    return np.stack(columns, axis=2)


def _across(vector, way):
    side = vector - way * (way @ vector)
    return side / max(np.linalg.norm(side), 1e-12)
