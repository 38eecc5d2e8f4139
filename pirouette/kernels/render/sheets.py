"""What is seen through: lists of sheets, one for each pixel that has any, laid over each other in exact order.

A sheet is what one half-transparent face, stroke or face that adds light shows in one pixel: which samples it covers,
how near it is and how that changes within the pixel, its light, and how much it hides. Sheets that cross within a pixel
are told apart at each sample. What is opaque joins the lists of those pixels as the farthest sheets.

A list begins at its pixel's `heads` and goes on along `links`, what was collected last first.
"""

from typing import NamedTuple

import numpy as np

from ..compile import bare_kernel, kernel
from ..types import HALF, ONE, ZERO, F, I, L, U
from .bright import rolled_off, rolled_on
from .fragment import OUT_B, OUT_G, OUT_R

# Columns of a sheet's numbers: 1/w at the pixel's corner and its change over the pixel, its light as it is added, how
# much of what is behind it hides, and how much of each sample's area lies within its edge.
Z, Z_RIGHT, Z_DOWN, RED, GREEN, BLUE, HIDES, WITHIN, SHEET_SIZE = range(9)
# Below no sheet: the end of a list.
NONE = I(-1)


class Sheets(NamedTuple):
    """The sheets of a band of pixels; no `heads` where there are none at all."""

    heads: np.ndarray  # (rows * width,) int32
    lengths: np.ndarray  # (rows * width,) int32: of the lists
    links: np.ndarray  # (N,) int32
    covers: np.ndarray  # (N,) int64: a bit for each sample that it covers
    numbers: np.ndarray  # (N * SHEET_SIZE,) float32
    count: np.ndarray  # (1,) int64: how many were asked for, even if there is no room for them

    @property
    def room(self) -> int:
        """How many there is room for."""
        return len(self.links)


def room_for(count: int) -> Sheets:
    """Return sheets with room for so many, of no pixels yet."""
    room = np.empty(count, I), np.empty(count, L), np.empty(count * SHEET_SIZE, F)
    return Sheets(np.empty(0, I), np.empty(0, I), *room, np.zeros(1, L))


NO_SHEETS = room_for(0)


@bare_kernel
def every_sample(samples):
    """The bits of all samples of a pixel."""
    return L(-1) if samples == 64 else (L(1) << L(samples)) - L(1)


@bare_kernel
def are_held(sheets):
    """Whether there was room for all sheets that were asked for."""
    return sheets.count[0] <= len(sheets.links)


@bare_kernel
def add_sheet(sheets, pixel, cover, z, z_right, z_down):
    """Put a sheet before those of a pixel; returns its number, or NONE if there is no room. Its light comes later."""
    number = U(sheets.count[0])
    sheets.count[0] = number + 1
    if number >= len(sheets.links):
        return NONE
    sheets.links[number] = sheets.heads[pixel]
    sheets.covers[number] = cover
    sheets.heads[pixel] = number
    sheets.lengths[pixel] += 1
    numbers = sheets.numbers[number * U(SHEET_SIZE) :]
    numbers[Z] = z
    numbers[Z_RIGHT] = z_right
    numbers[Z_DOWN] = z_down
    return I(number)


@bare_kernel
def put_light(sheets, number, red, green, blue, hides, within):
    """Write what a sheet adds, how much it hides, and how far it fills its samples."""
    numbers = sheets.numbers[U(number) * U(SHEET_SIZE) :]
    numbers[RED] = red
    numbers[GREEN] = green
    numbers[BLUE] = blue
    numbers[HIDES] = hides
    numbers[WITHIN] = within


@bare_kernel
def add_solids(fragments, count, row, first_px, last_px, band, seen, sheets):
    """Put the lit fragments of opaque faces behind the sheets of those pixels of a stretch of a row that have any."""
    table, pixel_of, mark_of = fragments.table, fragments.pixel_of, fragments.mark_of
    samples = len(band.offsets)
    at = 0
    for px in range(first_px, last_px):
        while at < count and pixel_of[at] < px:
            at += 1
        pixel = row * band.width + px
        if sheets.heads[pixel] < 0:
            continue
        keys = seen[row * band.stride + px * samples :]
        while at < count and pixel_of[at] == px:
            cover = L(0)
            for s in range(samples):
                cover |= L(I(keys[s]) == mark_of[at]) << L(s)
            number = add_sheet(sheets, pixel, cover, ZERO, ZERO, ZERO)
            if number >= 0:
                put_light(sheets, number, table[OUT_R + at], table[OUT_G + at], table[OUT_B + at], ONE, ONE)
            at += 1


@bare_kernel
def _lay(sheets, order, count, bit, ground, white):
    """Lay sheets over what is behind them, the farthest first: all, or those that cover a sample (bit: 0 for all).

    Edges of what is brighter than white are the means of what is rolled off, see bright.py.
    """
    red, green, blue, alpha = ground[0], ground[1], ground[2], ground[3]
    for i in range(count):
        number = order[i]
        if bit != 0 and (sheets.covers[U(number)] & bit) == 0:
            continue
        n = sheets.numbers[U(number) * U(SHEET_SIZE) :]
        hides, within = n[HIDES], n[WITHIN]
        keeps = ONE - hides
        r, g, b = red * keeps + n[RED], green * keeps + n[GREEN], blue * keeps + n[BLUE]
        solid = hides if hides > ZERO else min(max(n[RED], max(n[GREEN], n[BLUE])), ONE)
        solid *= within
        alpha += (ONE - alpha) * solid
        if within < ONE:
            peak, before = max(r, max(g, b)), max(red, max(green, blue))
            inside, outside = within, ONE - within
            if max(peak, before) > white:
                inside *= rolled_off(peak, white)
                outside *= rolled_off(before, white)
            r, g, b = r * inside + red * outside, g * inside + green * outside, b * inside + blue * outside
            if max(r, max(g, b)) > white:
                undone = rolled_on(max(r, max(g, b)), white)
                r *= undone
                g *= undone
                b *= undone
        red, green, blue = r, g, b
    return red, green, blue, alpha


@bare_kernel
def _nearness(sheets, number, x, y):
    n = sheets.numbers[U(number) * U(SHEET_SIZE) :]
    return n[Z] + n[Z_RIGHT] * x + n[Z_DOWN] * y


@bare_kernel
def _sort(sheets, order, keys, count, x, y):
    """Sort sheets from the farthest to the nearest at a place in the pixel; of equals, what was drawn last is nearest.

    They come nearly sorted, so each is put where it belongs among those before it.
    """
    for i in range(count):
        number = order[i]
        key = _nearness(sheets, number, x, y)
        j = i
        while j > 0 and (keys[j - 1] > key or (keys[j - 1] == key and order[j - 1] > number)):
            keys[j] = keys[j - 1]
            order[j] = order[j - 1]
            j -= 1
        keys[j] = key
        order[j] = number


@bare_kernel
def _are_apart(sheets, order, keys, count):
    """Whether sheets that are sorted at the pixel's middle lie in that order everywhere in it."""
    # What is opaque has a nearness of 0, and its faces cover a sample each.
    reached = ZERO
    for i in range(count):
        n = sheets.numbers[U(order[i]) * U(SHEET_SIZE) :]
        reach = (abs(n[Z_RIGHT]) + abs(n[Z_DOWN])) * HALF
        if keys[i] - reach < reached:
            return False
        reached = keys[i] + reach
    return True


@bare_kernel
def _listed(sheets, pixel, order):
    """Write the numbers of a pixel's sheets, what was collected last first; returns how many, and if all are whole."""
    everything = L(-1)
    count = 0
    number = sheets.heads[pixel]
    while number >= 0:
        order[U(count)] = number
        everything &= sheets.covers[U(number)]
        count += 1
        number = sheets.links[U(number)]
    return count, everything


@bare_kernel
def _lay_as_listed(sheets, pixel, everything, ground, out):
    """Write the light of a pixel whose sheets lie apart in the order of their list, each over all of it; False if not.

    They mostly do, since what is nearest is collected first. So each is read once.
    """
    red, green, blue, alpha = ground[0], ground[1], ground[2], ground[3]
    reached = ZERO
    number = sheets.heads[pixel]
    is_first = True
    while number >= 0:
        n = sheets.numbers[U(number) * U(SHEET_SIZE) :]
        reach = (abs(n[Z_RIGHT]) + abs(n[Z_DOWN])) * HALF
        key = n[Z] + n[Z_RIGHT] * HALF + n[Z_DOWN] * HALF
        # Of what is equally near, what was drawn last is nearest: it stands first in the list.
        is_apart = key - reach > reached or (is_first and key - reach >= reached)
        if not is_apart or (sheets.covers[U(number)] & everything) != everything or n[WITHIN] < ONE:
            return False
        hides = n[HIDES]
        keeps = ONE - hides
        red, green, blue = red * keeps + n[RED], green * keeps + n[GREEN], blue * keeps + n[BLUE]
        solid = hides if hides > ZERO else min(max(n[RED], max(n[GREEN], n[BLUE])), ONE)
        alpha += (ONE - alpha) * solid
        reached = key + reach
        is_first = False
        number = sheets.links[U(number)]
    out[0], out[1], out[2], out[3] = red, green, blue, alpha
    return True


@bare_kernel
def _lay_pixel(sheets, band, pixel, order, keys, ground, white, out):
    """Write the light of a pixel: of all its samples at once where they see the same, else their mean."""
    if _lay_as_listed(sheets, pixel, every_sample(len(band.offsets)), ground, out):
        return
    count, seen_by = _listed(sheets, pixel, order)
    _sort(sheets, order, keys, count, HALF, HALF)
    are_apart = _are_apart(sheets, order, keys, count)
    samples = len(band.offsets)
    everything = every_sample(samples)
    if are_apart and (seen_by & everything) == everything:
        out[0], out[1], out[2], out[3] = _lay(sheets, order, count, L(0), ground, white)
        return
    share = ONE / F(samples)
    r, g, b, a = ZERO, ZERO, ZERO, ZERO
    for s in range(samples):
        if not are_apart:
            _sort(sheets, order, keys, count, band.place_x[s], band.place_y[s])
        red, green, blue, alpha = _lay(sheets, order, count, L(1) << L(s), ground, white)
        part = share * rolled_off(max(red, max(green, blue)), white)
        r += red * part
        g += green * part
        b += blue * part
        a += alpha * share
    undone = rolled_on(max(r, max(g, b)), white)
    out[0], out[1], out[2], out[3] = r * undone, g * undone, b * undone, a


@kernel
def lay_sheets(sheets, band, background, white, out):
    """Write the light of all pixels that have sheets into a band's (rows, width, 4) picture.

    background  (rows, 1, 4) or (rows, width, 4): what is behind everything; white: see bright.py
    """
    most = sheets.lengths.max()
    order, keys = np.empty(most, I), np.empty(most, F)
    for row in range(band.rows):
        for px in range(band.width):
            pixel = row * band.width + px
            if sheets.heads[pixel] >= 0:
                ground = background[row, px if background.shape[1] > 1 else 0]
                _lay_pixel(sheets, band, pixel, order, keys, ground, white, out[row, px])
