"""How a picture is laid over a mesh: around an axis, or seen along one."""

import numpy as np

from ..data.mesh import Lines, Topology
from ..kernels.geometry.box import box
from ..kernels.geometry.unroll import unrolled

# For somebody who looks at a side from outside: the axis that leads to the right and its sign, the same for up.
SIDES = {
    (0, 1): ((2, -1), (1, 1)),
    (0, -1): ((2, 1), (1, 1)),
    (1, 1): ((0, 1), (2, -1)),
    (1, -1): ((0, 1), (2, 1)),
    (2, 1): ((0, 1), (1, 1)),
    (2, -1): ((0, -1), (1, 1)),
}
SMALLEST = 1e-9


def on_side(shares, axis: int, sign: int) -> np.ndarray:
    """Return (..., 2): where in a picture on one side of a box places lie whose (..., 3) shares of it are 0..1."""
    return np.stack([shares[..., k] if way > 0 else 1 - shares[..., k] for k, way in SIDES[axis, sign]], axis=-1)


def along(points, axis: int, span: float | None = None) -> np.ndarray:
    """Return (V, 2) places of points in a picture that is seen against an axis.

    span  the size of the picture, its middle at the origin; without it the picture just covers the points
    """
    return on_side(_shares(points, span), axis, 1)


def around(points, axis: int, span: float | None = None) -> np.ndarray:
    """Return (V, 2) places of points in a picture that is wrapped around an axis, as high as `span` or all points."""
    first, second = points[:, (axis + 1) % 3], points[:, (axis + 2) % 3]
    return np.stack([np.arctan2(second, first) / (2 * np.pi) % 1.0, _shares(points, span)[:, axis]], axis=1)


def around_faces(points, topology: Topology, axis: int, span: float | None = None) -> np.ndarray:
    """Return (C, 2) places of the corners of faces in a picture that is wrapped around an axis, see `around`.

    Corners on the axis lie in the middle of their face; those beyond the picture's right edge have u over 1.
    """
    away = np.hypot(points[:, (axis + 1) % 3], points[:, (axis + 2) % 3])
    is_known = away > 1e-6 * np.abs(points).max(initial=SMALLEST)
    return unrolled(around(points, axis, span), is_known, topology.offsets, topology.corners)


def lengthwise(points, lines: Lines) -> np.ndarray:
    """Return (V, 2): how far along their curve points are, 0 to 1; points of no curve lie in the middle."""
    places = np.full((len(points), 2), 0.5)
    for start, end in zip(lines.offsets, lines.offsets[1:], strict=False):
        curve = lines.corners[start:end]
        walked = np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(points[curve], axis=0), axis=1))])
        places[curve, 0] = walked / max(walked[-1], SMALLEST) if len(curve) else walked[:0]
    return places


def _shares(points, span):
    if span is not None:
        return points / max(span, SMALLEST) + 0.5
    low, high = box(points)
    return (points - low) / np.maximum(high - low, SMALLEST)
