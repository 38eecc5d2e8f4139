"""Light that many pictures of one moment share: what one of them found of it, the others look up.

How much of a light reaches a place, what it loses on its way and what comes out of wax do not depend on where they are
seen from. So of the pictures that a lens lets in, the one through its middle keeps for each pixel what its rays told,
and the others see there what they show: if that is the same surface they ask no rays.
"""

from typing import NamedTuple

import numpy as np

from ..compile import bare_kernel, called_kernel, kernel
from ..types import HALF, ONE, ZERO, F, I
from .fragment import BEGIN_X, BEGIN_Y, BEGIN_Z, BLOCK, NEARNESS, NX, NY, NZ, PART
from .pixels import PIXEL_SIZE, SEEN, is_alike, put_pixel

# Pictures look up nothing, keep what they find, or look that up.
IDLE, KEEPS, KNOWS = range(3)
# What pixels know is enough if they lie so near to where a fragment is, as a share of what four of them weigh.
ENOUGH = F(0.1)


class KeptLight(NamedTuple):
    """What a picture of N = rows * width pixels, and of L lights, keeps: skies first, then suns, then keys."""

    acts: int  # IDLE, KEEPS or KNOWS
    rows: int
    width: int
    to_screen: np.ndarray  # (3, 4) float32: from the world to (x·w, y·w, w) on the screen
    seen: np.ndarray  # (N * PIXEL_SIZE,) float32, see pixels.py
    parts: np.ndarray  # (N,) float32: of which part that is
    shares: np.ndarray  # (L * N,) float32: how much of each light arrives; below 0 where that was not asked
    tints: np.ndarray  # (L * N * 3,) float32: what is left of its colours; empty if nothing is clear
    wax: np.ndarray  # (N * 3,) float32: what comes out of wax of all lights; empty if nothing is waxy


class Lookup(NamedTuple):
    """Where the fragments of a block are among the pixels of a KeptLight, as its rows go on from there."""

    kept: KeptLight
    top: int  # the row that the band's first one is there
    slots: np.ndarray  # (BLOCK,) int32: of four pixels around a fragment the first
    weights: np.ndarray  # (4 * BLOCK,) float32: how much each of them counts; in all 1, or 0 if nothing is known


_NONE = np.zeros(0, F)
NOTHING_KEPT = KeptLight(IDLE, 0, 0, np.zeros((3, 4), F), _NONE, _NONE, _NONE, _NONE, _NONE)


class SharedLight(NamedTuple):
    """What is looked up of light that was found before, or is to be found."""

    kept: KeptLight  # what each light gives
    thrown: KeptLight  # what surfaces throw on each other, as `wax`; see bounce.py


NOTHING_SHARED = SharedLight(NOTHING_KEPT, NOTHING_KEPT)


@bare_kernel
def are_places_known(rays, shared):
    """Whether it is to be known where fragments are in the world."""
    return rays.are_cast or shared.thrown.acts == KNOWS


@kernel
def new_lookup(kept, top):
    """Return room for a block of fragments of a band that begins at a row."""
    size = BLOCK if kept.acts == KNOWS else 0
    return Lookup(kept, top, np.zeros(size, I), np.zeros(4 * size, F))


@called_kernel
def look_up(table, count, wide, lookup):
    """Find where `count` fragments are seen in the picture that keeps light; wide: see shares.pixels_wide."""
    kept, m = lookup.kept, lookup.kept.to_screen
    for i in range(count):
        place = table[BEGIN_X + i], table[BEGIN_Y + i], table[BEGIN_Z + i]
        normal = table[NX + i], table[NY + i], table[NZ + i]
        weights = lookup.weights[4 * i : 4 * i + 4]
        weights[:] = ZERO
        w = m[2, 0] * place[0] + m[2, 1] * place[1] + m[2, 2] * place[2] + m[2, 3]
        if w <= ZERO:
            continue
        x = (m[0, 0] * place[0] + m[0, 1] * place[1] + m[0, 2] * place[2] + m[0, 3]) / w - HALF
        y = (m[1, 0] * place[0] + m[1, 1] * place[1] + m[1, 2] * place[2] + m[1, 3]) / w - HALF
        if not (-ONE < x < F(kept.width) and -ONE < y < F(kept.rows)):
            continue
        column, row = I(np.floor(x)), I(np.floor(y))
        right, down = x - F(column), y - F(row)
        lookup.slots[i] = row * kept.width + column
        total = ZERO
        for k in range(4):
            at_column, at_row = column + (k & 1), row + (k >> 1)
            if not (0 <= at_column < kept.width and 0 <= at_row < kept.rows):
                continue
            pixel = kept.seen[(at_row * kept.width + at_column) * PIXEL_SIZE :]
            is_there = pixel[SEEN] > ZERO and kept.parts[at_row * kept.width + at_column] == table[PART + i]
            if not is_there or not is_alike(pixel, place, normal, wide / table[NEARNESS + i]):
                continue
            weights[k] = (right if k & 1 else ONE - right) * (down if k >> 1 else ONE - down)
            total += weights[k]
        inv = ONE / total if total > ENOUGH else ZERO
        for k in range(4):
            weights[k] *= inv


@bare_kernel
def kept_slot(row, column, lookup):
    """The number of a pixel of a band in the picture that keeps light."""
    return (lookup.top + row) * lookup.kept.width + column


@called_kernel
def keep_seen(table, count, row, pixel_of, lookup):
    """Keep what the pixels of a stretch of a row show, each one fragment."""
    kept = lookup.kept
    for i in range(count):
        slot = kept_slot(row, pixel_of[i], lookup)
        put_pixel(table, i, kept.seen[slot * PIXEL_SIZE :])
        kept.parts[slot] = table[PART + i]


@bare_kernel
def is_known(i, lookup):
    """Whether anything is known where a fragment is."""
    weights = lookup.weights[4 * i : 4 * i + 4]
    return lookup.kept.acts == KNOWS and weights[0] + weights[1] + weights[2] + weights[3] > ZERO


@bare_kernel
def _slot(i, k, lookup):
    return lookup.slots[i] + (k & 1) + (k >> 1) * lookup.kept.width


@bare_kernel
def known_share(i, number, lookup):
    """How much of a light reaches a fragment, as far as that is known; else below 0."""
    kept = lookup.kept
    share = weight = ZERO
    if kept.acts != KNOWS:
        return -ONE
    first = number * kept.rows * kept.width
    for k in range(4):
        part = lookup.weights[4 * i + k]
        if part > ZERO:
            one = kept.shares[first + _slot(i, k, lookup)]
            if one >= ZERO:
                share += part * one
                weight += part
    return share / weight if weight > ENOUGH else -ONE


@bare_kernel
def put_known(i, number, lookup, numbers, total):
    """Write the mean of what is known of a light at a fragment, of three numbers for each pixel and light."""
    kept = lookup.kept
    first = number * kept.rows * kept.width
    total[:3] = ZERO
    for k in range(4):
        part = lookup.weights[4 * i + k]
        if part > ZERO:
            at = 3 * (first + _slot(i, k, lookup))
            for channel in range(3):
                total[channel] += part * numbers[at + channel]


@bare_kernel
def keep_share(row, column, number, lookup, share):
    """Keep how much of a light was found to reach a pixel of a band."""
    kept = lookup.kept
    kept.shares[number * kept.rows * kept.width + kept_slot(row, column, lookup)] = share


@bare_kernel
def keep_more(row, column, lookup, numbers, total):
    """Keep three numbers that were found at a pixel of a band beside what was found there of other lights."""
    at = 3 * kept_slot(row, column, lookup)
    for channel in range(3):
        numbers[at + channel] += total[channel]


@bare_kernel
def keep(row, column, number, lookup, numbers, total):
    """Keep three numbers that were found of a light at a pixel of a band."""
    kept = lookup.kept
    at = 3 * (number * kept.rows * kept.width + kept_slot(row, column, lookup))
    for channel in range(3):
        numbers[at + channel] = total[channel]
