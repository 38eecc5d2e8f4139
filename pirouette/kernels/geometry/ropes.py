"""Ropes that keep their length: points joined in rows, moved so that each is as far from the next as it was."""

import numpy as np

from ..compile import exact_kernel, frozen
from ..threads import in_slices

SMALL = 1e-9
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
                middle[i] = weights[rope, i] + weights[rope, i + 1]
                if middle[i] <= 0:
                    middle[i], ask[i] = 1.0, 0.0
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
