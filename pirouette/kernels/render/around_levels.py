"""Makes the levels of a picture all around, see around.py: squares of ways, each way with the light that it shows.

Source: M. Colbert, J. Křivánek, "GPU-based importance sampling", GPU Gems 3, 2007: of few ways each is read in a
blurred picture. What a rough mirror shows is told as if it were seen straight on.
"""

import numpy as np

from ..compile import bare_kernel, kernel
from ..types import HALF, ONE, TWO, ZERO, F, I
from .around import seen_level

TURN = F(2 * np.pi)


@bare_kernel
def _way(column, row, side):
    """The way to a pixel of a square, as long as 1, and how much of the sphere around that pixel is."""
    cell = TWO / F(side)
    x = (F(column) + HALF) * cell - ONE
    z = (F(row) + HALF) * cell - ONE
    y = ONE - abs(x) - abs(z)
    if y < ZERO:
        folded = (ONE - abs(z)) * (ONE if x >= ZERO else -ONE)
        z = (ONE - abs(x)) * (ONE if z >= ZERO else -ONE)
        x = folded
    inv = ONE / np.sqrt(x * x + y * y + z * z)
    return x * inv, y * inv, z * inv, cell * cell * inv * inv * inv


@kernel
def ways(side, out):
    """Write the (side * side, 4) ways to all pixels of a square, and how much of the sphere each is."""
    for row in range(side):
        for column in range(side):
            out[row * side + column] = _way(column, row, side)


@kernel
def unroll(picture, side, start, stop, out):
    """Fill rows of a square from a picture whose columns go once around and whose rows from top to ground.

    The middle of the picture is seen along -z, what is right of it towards x.
    """
    height, width = len(picture), picture.shape[1]
    for row in range(start, stop):
        for column in range(side):
            x, y, z, _ = _way(column, row, side)
            u = (HALF + np.arctan2(x, -z) / TURN) * F(width) - HALF
            v = np.arccos(min(max(y, -ONE), ONE)) / (TURN * HALF) * F(height) - HALF
            v = min(max(v, ZERO), F(height - 1))
            left, top = I(np.floor(u)), I(v)
            s, t = u - F(left), v - F(top)
            right, left, bottom = (left + 1) % width, left % width, min(top + 1, height - 1)
            for k in range(3):
                upper = picture[top, left, k] * (ONE - s) + picture[top, right, k] * s
                lower = picture[bottom, left, k] * (ONE - s) + picture[bottom, right, k] * s
                out[row, column, k] = upper * (ONE - t) + lower * t


@bare_kernel
def _lobe(wide, dot):
    """How much a mirror shows along a way, seen straight on: `dot` from where a smooth one would show it (GGX)."""
    half = HALF + HALF * dot
    inside = half * (wide * wide - ONE) + ONE
    return dot / (inside * inside)


@kernel
def blur_all(source, light, side, wide, start, stop, out):
    """Fill rows of a square with means of all pixels of another, as a rough mirror weighs them.

    source  (S, 4) float32, see `ways`; light  (S, 3)
    wide    the lobe's width; with 1 it is what a surface that scatters shows
    """
    for row in range(start, stop):
        for column in range(side):
            x, y, z, _ = _way(column, row, side)
            red = green = blue = whole = ZERO
            for s in range(len(source)):
                dot = x * source[s, 0] + y * source[s, 1] + z * source[s, 2]
                if dot > ZERO:
                    weight = _lobe(wide, dot) * source[s, 3]
                    red += weight * light[s, 0]
                    green += weight * light[s, 1]
                    blue += weight * light[s, 2]
                    whole += weight
            out[row, column, 0] = red / whole
            out[row, column, 1] = green / whole
            out[row, column, 2] = blue / whole


@kernel
def blur_near(sizes, points, weights, picks, side, start, stop, out):
    """Fill rows of a square with weighted means of what lies at a few ways near each.

    sizes   an Around: the sharp square in all its sizes
    points  (N, 3) float32: those ways, from one along z; weights  (N,), 1 together; picks  (N,) which size each reads
    """
    for row in range(start, stop):
        for column in range(side):
            x, y, z, _ = _way(column, row, side)
            # A frame around the way, after T. Duff et al., "Building an orthonormal basis, revisited", JCGT 2017.
            sign = ONE if z >= ZERO else -ONE
            a = -ONE / (sign + z)
            b = x * y * a
            red = green = blue = ZERO
            for n in range(len(points)):
                p, q, r = points[n, 0], points[n, 1], points[n, 2]
                wx = (ONE + sign * x * x * a) * p + b * q + x * r
                wy = sign * b * p + (sign + y * y * a) * q + y * r
                wz = -sign * x * p - y * q + z * r
                at_r, at_g, at_b = seen_level(sizes, picks[n], wx, wy, wz)
                red += weights[n] * at_r
                green += weights[n] * at_g
                blue += weights[n] * at_b
            out[row, column, 0] = red
            out[row, column, 1] = green
            out[row, column, 2] = blue
