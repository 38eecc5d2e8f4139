"""Points held by guides."""

import numpy as np

from ...craft.hold import PARTS, TAKES, holds_of, moves_of
from ...data import Copies
from ...kernels.geometry.place import carried, matrices_to_quaternions
from ...schema import EACH_POINT, MOVES, Kind, Settings, choice, flags, number, only_if, references


class TieSettings(Settings):
    to: list = references("guides", "figures", headline=True)
    """The guides that hold points: each moves what it holds as it has moved itself since the first frame."""
    takes: str = choice("the nearest points", TAKES, headline=True)
    """What each guide holds: points that are nearest to it, those within a radius, or all, the nearer the more."""
    radius: float = only_if(number(60, soft=(0, 400), hard=(0, None), headline=True), takes=(TAKES[1],))
    """How far from a guide points are held wholly."""
    fade: float = only_if(number(60, soft=(0, 400), hard=(0, None)), takes=(TAKES[1],))
    """How much further its hold reaches, ever weaker."""
    parts: list = flags(PARTS, PARTS)
    """Which of a guide's moves its points make."""
    moves: str = choice(EACH_POINT, MOVES)
    """Holds every point, or copies as they are."""


def tie(points, rest, weights, settings, links) -> np.ndarray:
    """Let guides hold points, which they took at the first frame: where a guide moves, turns or grows, they go along.

    points   (N, 3) float32; not changed
    rest     the shape at the first frame
    weights  (N,) 0..1 from the step's field
    Returns  (N, 3) float32
    """
    # A shape that has another number of points by now is taken as it is.
    first = rest.points if len(rest.points) == len(points) else points
    guides = _guides(settings, links)
    if not guides or not len(points):
        return points
    holds, matrices = holds_of(first, guides, settings), moves_of(guides, settings.parts)
    here = points.astype(np.float64)
    moved = here.copy()
    for hold, matrix in zip(holds.T, matrices, strict=True):
        moved += (carried(here, matrix) - here) * (hold * weights)[:, None]
    return moved.astype(np.float32)


def tie_copies(copies, weights, settings, links) -> Copies:
    """Let guides hold copies as they are, by where they stand."""
    guides = _guides(settings, links)
    if not guides or not copies.count:
        return copies
    matrices = moves_of(guides, settings.parts)
    share = holds_of(copies.position, guides, settings) * np.asarray(weights, np.float64)[:, None]
    # What is held by several goes by the mean of their matrices.
    mixed = np.eye(3, 4) + np.einsum("ng,gij->nij", share, np.asarray(matrices)[:, :3] - np.eye(3, 4))
    position = np.einsum("nij,nj->ni", mixed[:, :, :3], copies.position) + mixed[:, :, 3]
    u, sizes, v = np.linalg.svd(mixed[:, :, :3])
    turn = u @ v
    turn[np.linalg.det(turn) < 0] *= -1
    own = _rotations(copies.rotation)
    is_held = share.any(axis=1)[:, None]
    return copies.moved(
        position=position,
        rotation=np.where(is_held, matrices_to_quaternions(turn @ own), copies.rotation),
        scale=copies.scale * np.where(is_held, np.cbrt(np.prod(sizes, axis=1))[:, None], 1),
    )


def _rotations(quaternions):
    x, y, z, w = quaternions.astype(np.float64).T
    return np.stack(
        [
            np.stack([1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)], axis=1),
            np.stack([2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)], axis=1),
            np.stack([2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)], axis=1),
        ],
        axis=1,
    )


def _guides(settings, links):
    return [links[f"to/{number}"] for number in range(len(settings.to)) if f"to/{number}" in links]


def advice(shape, settings, links) -> str:
    return "" if settings.to else "no guide is chosen; choose those that hold points"


KIND = Kind(
    "tie",
    "deform",
    TieSettings,
    tie,
    "Tie **{takes}** to **{to}**",
    moves_copies=tie_copies,
    advice=advice,
    icon="tie",
    words="hook pin attach hold handle",
)
