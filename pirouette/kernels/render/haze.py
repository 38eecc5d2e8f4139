"""Haze, and what is behind everything: how much of a light haze leaves on its way, and what is seen instead.

Haze is alike everywhere, or thins out above a base as air does: by e at each `height`. Of light that goes a way through
it, so much is left as the haze along that way leaves, after Bouguer, Lambert and Beer; the mean of its density there is
in closed form.
"""

import numpy as np

from ..compile import bare_kernel, called_kernel, kernel
from ..types import HALF, ONE, ZERO, F, I
from .around import BEHIND, LEVELS, seen_level
from .fragment import AT_Y, NEARNESS, OUT_B, OUT_G, OUT_R, PITCH, RAY_X, RAY_Y, RAY_Z
from .sky import seen_sky
from .tables import SKY_AROUND, SKY_BRIGHT, SKY_COS, SKY_SIN

# Below this the mean over a way is told by a series: what it is divided by is nearly nothing.
SHORT = F(0.01)


@bare_kernel
def _density(start, stop, height):
    """The mean density of haze on a way between two heights over its base, of 1 at and below that."""
    low, high = min(start, stop), max(start, stop)
    if height <= ZERO or high <= ZERO:
        return ONE
    above = max(low, ZERO)
    rise = (high - above) / height
    part = (ONE - np.exp(-rise)) / rise if rise > SHORT else ONE - HALF * rise
    part *= np.exp(-above / height)
    return part if low >= ZERO else (part * high - low) / (high - low)


@bare_kernel
def left_in_haze(haze, start, stop, distance):
    """How much of a light is left on a way so long between two heights of the world."""
    return np.exp(-haze.loss * distance * _density(start - haze.base, stop - haze.base, haze.height))


@bare_kernel
def sky_at(lights, x, y, z):
    """What stands behind everything of all skies along a way, as long as 1: red, green, blue."""
    red = green = blue = ZERO
    for s in range(len(lights.skies)):
        sky = lights.skies[s]
        if sky[SKY_AROUND] >= ZERO:
            cos, sin, bright = sky[SKY_COS], sky[SKY_SIN], sky[SKY_BRIGHT]
            level = I(sky[SKY_AROUND]) * LEVELS + BEHIND
            r, g, b = seen_level(lights.around, level, cos * x - sin * z, y, sin * x + cos * z)
            r, g, b = bright * r, bright * g, bright * b
        else:
            r, g, b = seen_sky(lights, sky, x, y, z, ZERO)
        red += r
        green += g
        blue += b
    return red, green, blue


@bare_kernel
def hazed(haze, lights, row, x, y, z):
    """What haze shows in a row of the picture along a way, as long as 1."""
    if not haze.is_behind:
        return haze.colour[0], haze.colour[1], haze.colour[2]
    if len(haze.rows) == 0:
        return sky_at(lights, x, y, z)
    behind = haze.rows[min(max(row, I(0)), I(len(haze.rows) - 1))]
    return behind[0], behind[1], behind[2]


@called_kernel
def put_haze(table, count, lights, is_additive):
    """Take from the light of fragments what haze keeps from the eye, and add what it shows before those that hide."""
    haze, up = lights.haze, lights.eye[1]
    for i in range(count):
        x, y, z = table[RAY_X + i], table[RAY_Y + i], table[RAY_Z + i]
        long = np.sqrt(x * x + y * y + z * z)
        depth = ONE / table[NEARNESS + i]
        left = left_in_haze(haze, up, up + y * depth, long * depth)
        for k in range(3):
            table[OUT_R + k * PITCH + i] *= left
        if is_additive:
            continue
        inv = ONE / long
        red, green, blue = hazed(haze, lights, I(table[AT_Y + i]), x * inv, y * inv, z * inv)
        table[OUT_R + i] += (ONE - left) * red
        table[OUT_G + i] += (ONE - left) * green
        table[OUT_B + i] += (ONE - left) * blue


@kernel
def lay_sky(lights, top, out):
    """Write the skies into (rows, width, 4) of what is behind everything, beginning with a row of the picture."""
    rays = lights.rays
    for row in range(out.shape[0]):
        down = F(top + row) + HALF
        for column in range(out.shape[1]):
            right = F(column) + HALF
            x = rays[0, 0] * right + rays[0, 1] * down + rays[0, 2]
            y = rays[1, 0] * right + rays[1, 1] * down + rays[1, 2]
            z = rays[2, 0] * right + rays[2, 1] * down + rays[2, 2]
            inv = ONE / np.sqrt(x * x + y * y + z * z)
            red, green, blue = sky_at(lights, x * inv, y * inv, z * inv)
            out[row, column, 0], out[row, column, 1], out[row, column, 2], out[row, column, 3] = red, green, blue, ONE
