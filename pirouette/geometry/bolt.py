"""Ragged lines that branch, as sparks make them."""

from dataclasses import dataclass

import numpy as np

from ..kernels.geometry.place import unit_rows

# A branch is at least this share of what it may be long, and this much less ragged than its parent.
SHORT = 0.4
CALMER = 0.85


def ragged(points, levels: int, amount: float, rng) -> np.ndarray:
    """Return a line whose stretches are halved so many times, each middle moved aside by a share of its stretch.

    points  (P, 3) float64
    rng     a numpy Generator
    Source  A. Fournier et al., "Computer rendering of stochastic models", Communications of the ACM 25 (1982)
    """
    points = np.asarray(points, np.float64)
    for _ in range(levels):
        steps = np.diff(points, axis=0)
        length = np.linalg.norm(steps, axis=1, keepdims=True)
        aside = rng.normal(size=steps.shape)
        ways = steps / np.maximum(length, 1e-12)
        aside -= ways * (ways * aside).sum(axis=1, keepdims=True)
        made = np.empty((2 * len(points) - 1, 3))
        made[::2] = points
        made[1::2] = (points[1:] + points[:-1]) / 2 + aside * length * amount
        points = made
    return points


def bolt(track, levels: int, branching, raggedness: float, seed: int) -> list:
    """Return lines as (points (P, 3), branch) pairs: the trunk along a track first, then branches, those of these …

    track       (T, 3) float64 points that the trunk goes along
    levels      how many times the trunk's stretches are halved
    branching   a Branching
    raggedness  how far points stray, as a share of each stretch
    """
    rng = np.random.default_rng(seed)
    lines = [(ragged(track, levels, raggedness, rng), 0)]
    parents, count = [0], branching.count
    for level in range(1, branching.depth + 1):
        children = []
        for parent in parents:
            for _ in range(count):
                children.append(len(lines))
                lines.append((_branch(lines[parent][0], branching, raggedness * CALMER**level, rng), level))
        parents, count = children, max(count // 2, 1)
    return lines


@dataclass(frozen=True)
class Branching:
    """How a line branches.

    count   branches on the trunk; each branch has half as many
    depth   how many times branches branch off; 0 for the trunk alone
    spread  radians between a branch and what it leaves
    length  the most that a branch is long, as a share of what is left of what it leaves
    levels  how many times a branch's stretches are halved
    """

    count: int
    depth: int
    spread: float
    length: float
    levels: int


def _branch(parent, branching, raggedness, rng):
    last = len(parent) - 1
    at = min(int((0.08 + 0.8 * rng.random()) * last), last)
    left = np.linalg.norm(parent[-1] - parent[at])
    way = unit_rows((parent[-1] - parent[at])[None])[0]
    aside = rng.normal(size=3)
    aside = unit_rows((aside - way * (way @ aside))[None])[0]
    angle = branching.spread * (0.6 + 0.8 * rng.random())
    length = left * branching.length * (SHORT + (1 - SHORT) * rng.random())
    end = parent[at] + (way * np.cos(angle) + aside * np.sin(angle)) * length
    return ragged(np.stack([parent[at], end]), branching.levels, raggedness, rng)
