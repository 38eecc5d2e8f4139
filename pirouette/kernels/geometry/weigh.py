"""Weights of the clauses that fields are mostly made of, and how weights are joined; one pass over the points each."""

import numpy as np

from ..compile import flat_rows, frozen, frozen_rows, kernel
from ..threads import in_slices
from ..types import HALF, ONE, ZERO, F

BALL, BLOCK, COLUMN, FUNNEL, RING = range(5)
PLUS, LESS, ONLY_WHERE, MORE, FEWER, INSTEAD, HALF_AND_HALF = range(7)


@kernel
def _clamp(value):
    return min(max(value, ZERO), ONE)


@kernel
def _region(points, middle, rows, form, inv_fade, half, out):
    for i in range(len(out)):
        dx = points[3 * i] - middle[0]
        dy = points[3 * i + 1] - middle[1]
        dz = points[3 * i + 2] - middle[2]
        x = rows[0, 0] * dx + rows[0, 1] * dy + rows[0, 2] * dz
        y = rows[1, 0] * dx + rows[1, 1] * dy + rows[1, 2] * dz
        z = rows[2, 0] * dx + rows[2, 1] * dy + rows[2, 2] * dz
        if form == BALL:
            far = np.sqrt(x * x + y * y + z * z)
        elif form == BLOCK:
            far = max(abs(x), max(abs(y), abs(z)))
        elif form == COLUMN:
            far = max(np.sqrt(x * x + z * z), abs(y))
        elif form == FUNNEL:
            wide = max((y + ONE) * HALF, F(1e-6))
            far = max(np.sqrt(x * x + z * z) / wide if y > -ONE else F(9.0), abs(y))
        else:
            aside = np.sqrt(x * x + z * z) - (ONE - half)
            far = np.sqrt(aside * aside + y * y) / half
        out[i] = _clamp((ONE - far) * inv_fade)


@kernel
def _between(along, low, high, inv_fade, out):
    for i in range(len(out)):
        out[i] = _clamp(ONE - max(max(low - along[i], along[i] - high), ZERO) * inv_fade)


@kernel
def _distance(points, place, out):
    for i in range(len(out)):
        dx = points[3 * i] - place[0]
        dy = points[3 * i + 1] - place[1]
        dz = points[3 * i + 2] - place[2]
        out[i] = np.sqrt(dx * dx + dy * dy + dz * dz)


@kernel
def _angle(points, first, second, middle, half, inv_fade, out):
    for i in range(len(out)):
        turn = np.arctan2(points[3 * i + second], points[3 * i + first]) * F(180.0 / np.pi) - middle + F(180.0)
        turn -= np.floor(turn * F(1.0 / 360.0)) * F(360.0)
        out[i] = _clamp(ONE - max(abs(turn - F(180.0)) - half, ZERO) * inv_fade)


@kernel
def _join(total, weight, how, strength, out):
    for i in range(len(out)):
        a = total[i]
        b = weight[i]
        if how == PLUS:
            c = min(a + b, ONE)
        elif how == LESS:
            c = max(a - b, ZERO)
        elif how == ONLY_WHERE:
            c = a * b
        elif how == MORE:
            c = max(a, b)
        elif how == FEWER:
            c = min(a, b)
        elif how == INSTEAD:
            c = b
        else:
            c = (a + b) * HALF
        out[i] = a + (c - a) * strength


def _steep(fade) -> np.float32:
    """1 / fade; a fade of nothing is steeper than any difference of float32 can show."""
    return F(1 / fade) if fade > 1e-6 else F(1e30)


def region_weights(points, middle, rows, form: int, fade: float, thickness: float) -> np.ndarray:
    """Return (N,) float32: 1 in the middle of a form, 0 outside, straight from its edge inwards over `fade` of the way.

    rows  (3, 3): from the world to the form's own axes, where it reaches from -1 to 1
    form  BALL, BLOCK, COLUMN, FUNNEL or RING; thickness is a ring's, as a share of its radius
    """
    points, middle, rows = frozen_rows(points, 3), frozen(middle), frozen(rows)
    out = np.empty(len(points), F)
    steep, half = _steep(fade), F(thickness / 2)
    in_slices(lambda a, b: _region(flat_rows(points, a, b), middle, rows, form, steep, half, out[a:b]), len(out))
    return out


def between_weights(along, low: float, high: float, fade: float) -> np.ndarray:
    """Return (N,) float32: 1 for numbers (N,) from low to high, falling to 0 over `fade` outside."""
    along = frozen(along)
    out = np.empty(len(along), F)
    in_slices(lambda a, b: _between(along[a:b], F(low), F(high), _steep(fade), out[a:b]), len(out))
    return out


def angle_weights(points, axis: int, middle_deg: float, width_deg: float, fade_deg: float) -> np.ndarray:
    """Return (N,) float32: 1 in a sector about an axis, falling to 0 over `fade_deg` at each side."""
    points = frozen_rows(points, 3)
    out = np.empty(len(points), F)
    first, second = (axis + 1) % 3, (axis + 2) % 3
    middle, half = F(middle_deg % 360), F(width_deg / 2)
    in_slices(
        lambda a, b: _angle(flat_rows(points, a, b), first, second, middle, half, _steep(fade_deg), out[a:b]), len(out)
    )
    return out


def distances_to(points, place) -> np.ndarray:
    """Return (N,) float32 distances of points (N, 3) to a place (3,)."""
    points, place = frozen_rows(points, 3), frozen(place)
    out = np.empty(len(points), F)
    in_slices(lambda a, b: _distance(flat_rows(points, a, b), place, out[a:b]), len(out))
    return out


def join_weights(total, weight, how: int, strength: float) -> np.ndarray:
    """Return (N,) float32: weights so far joined with those of another clause."""
    total, weight = frozen(total), frozen(weight)
    out = np.empty(len(total), F)
    in_slices(lambda a, b: _join(total[a:b], weight[a:b], how, F(strength), out[a:b]), len(out))
    return out
