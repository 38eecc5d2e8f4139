"""What is seen of pictures all around: their light by the way it comes from, sharp, blurred or spread.

A way is a place on a square: those on the octahedron around the eye, with its lower half folded out. Each level of a
picture is such a square, with one more pixel at all sides that repeats what lies beyond the fold.

Source: C. Praun, H. Hoppe, "Spherical parametrization and remeshing", SIGGRAPH 2003.
"""

from typing import NamedTuple

import numpy as np

from ..compile import bare_kernel, frozen
from ..types import HALF, ONE, ZERO, F, I

# The first is sharp, each next one as a rougher mirror shows it, up to the roughest: that is what falls on a white
# surface that faces that way. The last one stands behind everything.
ROUGHEST, BEHIND, LEVELS = 8, 9, 10


class Around(NamedTuple):
    """All pictures all around, level after level; LEVELS of each."""

    texels: np.ndarray  # float32: red, green and blue of rows of pixels
    firsts: np.ndarray  # (n * LEVELS,) int64: where each level begins in them
    sides: np.ndarray  # (n * LEVELS,) int64: how many pixels each side of its square has


NO_AROUND = Around(frozen([]), frozen([], np.int64), frozen([], np.int64))


def roughness_of(level: int) -> float:
    """The roughness of mirrors that show a level."""
    return (level / ROUGHEST) ** 1.5


@bare_kernel
def seen_level(around, at, x, y, z):
    """What is seen of a level along a way, of any length: red, green, blue."""
    inv = HALF / (abs(x) + abs(y) + abs(z))
    u, v = x * inv, z * inv
    if y < ZERO:
        across, down = HALF - abs(v), HALF - abs(u)
        u = across if u >= ZERO else -across
        v = down if v >= ZERO else -down
    side = around.sides[at]
    wide = F(side)
    u = (u + HALF) * wide + HALF
    v = (v + HALF) * wide + HALF
    column, row = min(max(I(u), I(0)), I(side)), min(max(I(v), I(0)), I(side))
    s, t = u - F(column), v - F(row)
    first = around.firsts[at] + 3 * (row * (side + 2) + column)
    below = first + 3 * (side + 2)
    a, b, c, d = (ONE - s) * (ONE - t), s * (ONE - t), (ONE - s) * t, s * t
    texels = around.texels
    return (
        a * texels[first] + b * texels[first + 3] + c * texels[below] + d * texels[below + 3],
        a * texels[first + 1] + b * texels[first + 4] + c * texels[below + 1] + d * texels[below + 4],
        a * texels[first + 2] + b * texels[first + 5] + c * texels[below + 2] + d * texels[below + 5],
    )


@bare_kernel
def seen_around(around, number, x, y, z, rough):
    """What a mirror that is so rough shows of a picture along a way."""
    level = F(ROUGHEST) * np.cbrt(rough * rough)
    low = min(I(level), I(ROUGHEST - 1))
    share = level - F(low)
    at = number * LEVELS + low
    red, green, blue = seen_level(around, at, x, y, z)
    if share > ZERO:
        r, g, b = seen_level(around, at + 1, x, y, z)
        red += (r - red) * share
        green += (g - green) * share
        blue += (b - blue) * share
    return red, green, blue
