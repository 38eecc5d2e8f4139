"""Ropes that keep their length: points joined in rows, moved so that each is as far from the next as it was."""

import numpy as np

from ..compile import exact_kernel, frozen
from ..threads import in_slices

SMALL = 1e-9
# Lengths that are right to this share are not made better.
EXACT = 1e-10
SLICE = 16


@exact_kernel
def _kept(points, lengths, weights, rounds, start, stop, out):
    """Newton steps on all lengths of a rope at once: what they ask of its points is a matrix of three diagonals."""
    count = points.shape[1]
    ways = np.empty((count, 3))
    ask, middle, side = np.empty(count), np.empty(count), np.empty(count)
    for rope in range(start, stop):
        at = out[rope]
        for i in range(count):
            for k in range(3):
                at[i, k] = points[rope, i, k]
        for _ in range(rounds):
            is_exact = True
            for i in range(count - 1):
                square = 0.0
                for k in range(3):
                    ways[i, k] = at[i + 1, k] - at[i, k]
                    square += ways[i, k] * ways[i, k]
                length = np.sqrt(square)
                if length > SMALL:
                    for k in range(3):
                        ways[i, k] /= length
                else:
                    ways[i, 0], ways[i, 1], ways[i, 2] = 0.0, -1.0, 0.0
                ask[i] = length - lengths[rope, i]
                is_exact &= abs(ask[i]) <= EXACT * lengths[rope, i]
                middle[i] = weights[rope, i] + weights[rope, i + 1]
                if middle[i] <= 0:
                    middle[i], ask[i] = 1.0, 0.0
            if is_exact:
                break
            for i in range(count - 2):
                dot = ways[i, 0] * ways[i + 1, 0] + ways[i, 1] * ways[i + 1, 1] + ways[i, 2] * ways[i + 1, 2]
                side[i] = -weights[rope, i + 1] * dot
            # The Thomas algorithm.
            for i in range(1, count - 1):
                share = side[i - 1] / middle[i - 1]
                middle[i] -= share * side[i - 1]
                if middle[i] < SMALL:
                    middle[i] = SMALL
                ask[i] -= share * ask[i - 1]
            ask[count - 2] /= middle[count - 2]
            for i in range(count - 3, -1, -1):
                ask[i] = (ask[i] - side[i] * ask[i + 1]) / middle[i]
            for i in range(count - 1):
                for k in range(3):
                    move = ask[i] * ways[i, k]
                    at[i, k] += weights[rope, i] * move
                    at[i + 1, k] -= weights[rope, i + 1] * move


def lengths_kept(points, lengths, weights, rounds: int = 4) -> np.ndarray:
    """Return points of ropes, moved as little as can be so that they are as far from each other as they should be.

    points   (R, P, 3) float64 of R ropes of P points
    lengths  (R, P - 1) between them
    weights  (R, P) how easily each is moved; 0 holds it
    Source   D. Baraff, "Linear-time dynamics using Lagrange multipliers", SIGGRAPH 1996, for solving all at once;
             M. Müller et al., "Position based dynamics", JVCIR 18 (2007), for moving places instead of pushing
    """
    points = frozen(points, np.float64)
    lengths, weights = frozen(lengths, np.float64), frozen(weights, np.float64)
    out = np.empty(points.shape)
    in_slices(lambda a, b: _kept(points, lengths, weights, rounds, a, b, out), len(points), SLICE)
    return out


@exact_kernel
def _swung(at, velocity, push, slowed, goals, fixed, spring, seconds, start, stop, places, speeds):
    """Points on springs a while later: pushed first, then slowed down, and at their goals where they are fixed."""
    before, after = goals
    place, by_speed, by_place, speed, behind = spring
    for rope in range(start, stop):
        for i in range(at.shape[1]):
            left = np.exp(-slowed[rope, i] * seconds)
            for k in range(3):
                goal = after[rope, i, k]
                pace = (goal - before[rope, i, k]) / seconds
                offset = at[rope, i, k] - before[rope, i, k] + pace * behind
                own = (velocity[rope, i, k] + push[rope, i, k] * seconds) * left - pace
                places[rope, i, k] = goal if fixed[rope, i] else offset * place + own * by_speed + goal - pace * behind
                speeds[rope, i, k] = offset * by_place + own * speed + pace


def swung(at, velocity, push, slowed, goals, fixed, spring, seconds: float) -> tuple[np.ndarray, np.ndarray]:
    """Return the places and speeds of the points of ropes on springs after some seconds.

    at, velocity  (R, P, 3) float64
    push          (R, P, 3) by how much the speed changes each second; slowed (R, P) the exponent of its decay
    goals         two of (R, P, 3): where the springs hang, which goes evenly from one to the other
    fixed         (R, P) bool: what is at its goal
    spring        numbers as craft/springs.py gives them
    """
    at, velocity, push, slowed = (frozen(array, np.float64) for array in (at, velocity, push, slowed))
    goals, fixed = tuple(frozen(goal, np.float64) for goal in goals), frozen(fixed, bool)
    spring = tuple(float(factor) for factor in spring)
    places, speeds = np.empty(at.shape), np.empty(at.shape)
    in_slices(
        lambda a, b: _swung(at, velocity, push, slowed, goals, fixed, spring, seconds, a, b, places, speeds),
        len(at),
        SLICE,
    )
    return places, speeds


@exact_kernel
def _speeds(before, after, seconds, rubbed, start, stop, out):
    count = before.shape[1]
    for rope in range(start, stop):
        for i in range(count):
            for k in range(3):
                out[rope, i, k] = (after[rope, i, k] - before[rope, i, k]) / seconds
        for k in range(3):
            last = out[rope, 0, k]
            for i in range(1, count - 1):
                own = out[rope, i, k]
                out[rope, i, k] = own + rubbed * ((last + out[rope, i + 1, k]) / 2 - own)
                last = own


def speeds_of(before, after, seconds: float, rubbed: float) -> np.ndarray:
    """Return (R, P, 3) how fast the points of ropes went, each brought by a share nearer to the mean of its neighbours.

    before, after  (R, P, 3) where they were and are
    """
    before, after = frozen(before, np.float64), frozen(after, np.float64)
    out = np.empty(before.shape)
    in_slices(lambda a, b: _speeds(before, after, seconds, rubbed, a, b, out), len(before), SLICE)
    return out
