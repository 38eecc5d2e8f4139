"""Lines and dots that rays pass on their ways: what is seen of them in mirrors, and through what is clear.

They are flat and turned to each ray. Each adds its light, and covers what is behind it unless it adds light alone.
"""

from typing import NamedTuple

import numpy as np

from ..compile import bare_kernel
from ..embree import DOTS, FARTHEST, MASK, MET_BODY, MET_TRIANGLE, MET_U, NEAREST, NOTHING, ORIGIN, WAY, ask
from ..types import ONE, ZERO, F, I

# Columns of what is known of a line or dot: colour and strength at both ends, whether it adds light, and of a dot the
# soft share of its radius, its middle and its radius.
RED, STRENGTH, OTHER, ADDS, SOFT, MIDDLE, RADIUS, ROW_SIZE = 0, 3, 4, 8, 9, 10, 13, 14
# So many are seen one behind the other.
MOST_SEEN = 64
# The next one is looked for so much further on: one step of a float32.
ON = F(1.0 + 2.4e-7)


class StrandRows(NamedTuple):
    """What rays pass of lines and dots."""

    scene: int  # where the library finds them, or 0
    rows: np.ndarray  # (L + D, ROW_SIZE) float32: lines, then dots
    line_count: int


class Seen(NamedTuple):
    """A line or dot on a ray's way."""

    row: int
    distance: float
    along: float  # of a line, 0..1 from its one end to the other
    strength: float  # how much of what is behind it would be covered


@bare_kernel
def _soft(ray, row, distance):
    """How strong a dot is where a ray meets it, before its edge."""
    away = ZERO
    for k in range(3):
        off = ray[ORIGIN + k] + ray[WAY + k] * distance - row[MIDDLE + k]
        away += off * off
    inside = ONE - np.sqrt(away) / row[RADIUS]
    return min(max(inside / max(row[SOFT], F(1e-3)), ZERO), ONE)


@bare_kernel
def next_strand(ray, near, far, asked, strands):
    """What of lines and dots a ray meets next, from `near` to `far` of its way; its row is NOTHING if there is none.

    Where two lines of a curve meet, each ends: neither is seen beyond its ends, so that no light is added twice.
    """
    whole = ray.view(I)
    while True:
        ray[NEAREST], ray[FARTHEST] = near, far
        whole[MASK], whole[MET_BODY] = I(-1), NOTHING
        ask(asked, strands.scene, ray.ctypes.data)
        if whole[MET_BODY] == NOTHING:
            return Seen(I(NOTHING), far, ZERO, ZERO)
        distance, along = ray[FARTHEST], ray[MET_U]
        if whole[MET_BODY] == DOTS:
            number = I(whole[MET_TRIANGLE] + strands.line_count)
            row = strands.rows[number]
            return Seen(number, distance, ZERO, row[STRENGTH] * _soft(ray, row, distance))
        if along > ZERO and along < ONE:
            row = strands.rows[whole[MET_TRIANGLE]]
            strength = row[STRENGTH] + (row[OTHER + STRENGTH] - row[STRENGTH]) * along
            return Seen(whole[MET_TRIANGLE], distance, along, strength)
        near = distance * ON


@bare_kernel
def strand_light(strands, seen, k):
    """The light of a colour (0 red, 1 green, 2 blue) of what a ray met."""
    row = strands.rows[seen.row]
    return (row[RED + k] + (row[OTHER + k] - row[RED + k]) * seen.along) * seen.strength
