"""How guides hold points: which each took at the first frame, and how it has moved since."""

import numpy as np

from ..kernels.geometry.place import inverted

TAKES = ("the nearest points", "points within a radius", "all, by nearness")
PARTS = ("position", "rotation", "scale")


def holds_of(first, guides, settings) -> np.ndarray:
    """Return (N, G) how much each guide holds each point, 0..1, together at most 1.

    first     (N, 3) where the points were at the first frame
    guides    Links that know the first frame
    settings  with `takes`, one of TAKES, and for the second of these `radius` and `fade`
    """
    away = np.stack([np.linalg.norm(first - guide.first[:3, 3], axis=1) for guide in guides], axis=1).astype(np.float64)
    if settings.takes == TAKES[0]:
        return held_by_nearest(away)
    if settings.takes == TAKES[1]:
        rest = np.clip((settings.radius + settings.fade - away) / max(settings.fade, 1e-9), 0, 1)
        holds = rest * rest * (3 - 2 * rest)
        return holds / np.maximum(holds.sum(axis=1, keepdims=True), 1)
    near = 1 / np.maximum(away, 1e-6) ** 2
    return near / near.sum(axis=1, keepdims=True)


def held_by_nearest(away) -> np.ndarray:
    """Return (N, G) 1 for the guide that each point is the least (N, G) distance away from, else 0."""
    holds = np.zeros_like(away)
    holds[np.arange(len(away)), away.argmin(axis=1)] = 1
    return holds


def moves_of(guides, parts=PARTS) -> list[np.ndarray]:
    """Return for each guide the (4, 4) matrix of its move since the first frame, but for parts that are left out."""
    return [_move(guide, parts) for guide in guides]


def _move(guide, parts) -> np.ndarray:
    """(4, 4) how a guide has moved since the first frame, but for the parts that are not taken along."""
    if set(parts) == set(PARTS):
        return guide.matrix @ inverted(guide.first_here)
    before, now = _apart(guide.first_here), _apart(guide.matrix)
    place, turn, size = (b if name in parts else a for name, a, b in zip(PARTS, before, now, strict=True))
    matrix = np.eye(4)
    matrix[:3, :3], matrix[:3, 3] = turn @ size, place
    return matrix @ inverted(guide.first_here)


def _apart(matrix):
    """Place, turn and size of a matrix: by its polar decomposition."""
    u, sizes, v = np.linalg.svd(matrix[:3, :3])
    turn = u @ v
    if np.linalg.det(turn) < 0:
        turn, sizes = -turn, -sizes
    return matrix[:3, 3], turn, v.T @ np.diag(sizes) @ v
