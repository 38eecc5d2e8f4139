"""What is clear: how much light goes through it, which way, and what is left of that on its way; and what is waxy."""

import numpy as np

from ..compile import bare_kernel, called_kernel
from ..types import HALF, ONE, ZERO, F, I
from .fragment import (
    BASE_B,
    BASE_G,
    BASE_R,
    BLUE,
    CLEAR,
    FACING,
    GREEN,
    METALLIC,
    OPACITY,
    PART,
    RED,
    WAX_B,
    WAX_G,
    WAX_R,
)

# How much is mirrored, from straight before, by what has the usual index, 1.5.
DIELECTRIC = F(0.04)
# What covers less than this is half transparent, and neither clear nor waxy.
COVERS = F(1 - 1 / 256)

# Columns of a part's row: how clear it is, and its index of refraction, where it is seen from before, and how much more
# at its rim; what is lost of each colour on a way of 1, or at each wall of what is hollow; whether it is filled.
# What is waxy is not clear: how much light goes in; so deep light is looked for, 0 in an open sheet; what is lost,
# whatever its colour, on a way of 1, or at a sheet; whether it is a body.
AMOUNT, REFRACTS, RIM_AMOUNT, RIM_REFRACTS, LOST, FILLED, WAX, WAX_DEEP, WAX_LOST, WAX_BODY, CLEAR_SIZE = (
    0, 1, 2, 3, 4, 7, 8, 9, 10, 11, 12,
)  # fmt: skip


@bare_kernel
def _at(row, first, at_rim, facing):
    """A number of a part's row as it is at an angle, given as its cosine."""
    away = ONE - facing
    return row[first] + row[at_rim] * away * away


@bare_kernel
def is_filled(row):
    """Whether a clear part is a body, not a skin."""
    return row[FILLED] > HALF


@bare_kernel
def clear_at(row, facing):
    """How clear a part is at an angle."""
    return _at(row, AMOUNT, RIM_AMOUNT, facing)


@bare_kernel
def index_at(row, facing):
    """A part's index at an angle."""
    return _at(row, REFRACTS, RIM_REFRACTS, facing)


@bare_kernel
def gloss_of(index):
    """How much is mirrored of what comes from straight before, by Fresnel."""
    root = (index - ONE) / (index + ONE)
    return root * root


@called_kernel
def put_clear(table, count, surfaces):
    """Write how clear and how waxy `count` fragments are: what goes in is not scattered. After begin_seen."""
    clears = surfaces.clears
    for i in range(count):
        if table[OPACITY + i] < COVERS:
            table[CLEAR + i] = table[WAX_R + i] = table[WAX_G + i] = table[WAX_B + i] = ZERO
            continue
        row = clears[I(table[PART + i])]
        dull = ONE - table[METALLIC + i]
        clear = clear_at(row, table[FACING + i]) * dull
        more = (gloss_of(index_at(row, table[FACING + i])) - DIELECTRIC) * dull
        table[CLEAR + i] = clear
        table[BASE_R + i] += more
        table[BASE_G + i] += more
        table[BASE_B + i] += more
        wax = row[WAX]
        table[WAX_R + i] = wax * table[RED + i]
        table[WAX_G + i] = wax * table[GREEN + i]
        table[WAX_B + i] = wax * table[BLUE + i]
        table[RED + i] *= ONE - clear - wax
        table[GREEN + i] *= ONE - clear - wax
        table[BLUE + i] *= ONE - clear - wax


@bare_kernel
def mirrored_part(base, rough, facing):
    """How much is mirrored at an angle, by Schlick: no more than what is smooth can."""
    edge = ONE - facing
    edge = edge * edge * edge * edge * edge
    return base + (max(ONE - rough, base) - base) * edge


@bare_kernel
def leaving_part(index, rough, facing):
    """How much is mirrored, by Schlick, of what leaves a body at an angle; all of it if it cannot leave."""
    inside = ONE - index * index * (ONE - facing * facing)
    if inside <= ZERO:
        return ONE
    # The angle in what is less dense decides.
    return mirrored_part(gloss_of(index), rough, min(facing, np.sqrt(inside)))


@bare_kernel
def refracted(way, normal, ratio):
    """The way that light takes through a boundary, by Snell; whether it cannot pass, and then is mirrored.

    normal  against the way
    ratio   the index before the boundary over that behind it
    """
    x, y, z = way
    nx, ny, nz = normal
    facing = -(x * nx + y * ny + z * nz)
    inside = ONE - ratio * ratio * (ONE - facing * facing)
    if inside <= ZERO:
        return (x + F(2.0) * facing * nx, y + F(2.0) * facing * ny, z + F(2.0) * facing * nz), True
    along = ratio * facing - np.sqrt(inside)
    return (ratio * x + along * nx, ratio * y + along * ny, ratio * z + along * nz), False


@bare_kernel
def left_over(row, colour, distance):
    """What is left of a colour's light on a way within a body; on one without an end, all or nothing."""
    lost = row[LOST + colour]
    return np.exp(-lost * distance) if lost > ZERO else ONE
