"""Light on what a band shows: one shaded fragment for each triangle in each pixel.

First a row's fragments are gathered (scattered reads), then lit all together (straight loops that vectorise).
"""

from typing import NamedTuple

import numpy as np

from .compile import bare_kernel, kernel
from .face import FACE_SIZE, INSTANCE, MARK, WHOLE_SIZE, put_face, put_fragment, put_material, put_paint
from .light import BLOCK, NEARNESS, OUT_B, OUT_G, OUT_R, SUM_A, SUM_B, SUM_G, SUM_R, TABLE_SIZE, light

F = np.float32
I = np.int32  # noqa: E741
U = np.uint32
ZERO = F(0.0)
ONE = F(1.0)
# Faces that were seen last are remembered, each at a place that follows from its mark: most are seen in several rows.
FACES = 1024


class _Fragments(NamedTuple):
    """The fragments of one stretch of a row, at most BLOCK."""

    table: np.ndarray  # float32, see light.py
    pixel_of: np.ndarray  # int32
    sample_of: np.ndarray  # int32: the first sample of the pixel that sees it
    weight_of: np.ndarray  # float32: the share of the pixel's samples that see it
    mark_of: np.ndarray  # int32
    faces: np.ndarray  # (FACES, FACE_SIZE) float32: faces that were seen before
    wholes: np.ndarray  # (FACES, WHOLE_SIZE) int32


@bare_kernel
def _list_single(at, first_px, last_px, seen, fragments):
    """List the fragments of pixels of one sample; returns how many there are."""
    table, pixel_of, sample_of = fragments.table, fragments.pixel_of, fragments.sample_of
    weight_of, mark_of = fragments.weight_of, fragments.mark_of
    line = seen[at + first_px : at + last_px]
    count = 0
    for i in range(len(line)):
        key = line[i]
        pixel_of[count] = first_px + i
        sample_of[count] = 0
        weight_of[count] = ONE
        mark_of[count] = I(key)
        table[NEARNESS + count] = I(key >> 32).view(F)
        count += key != 0
    return count


@bare_kernel
def _list_many(at, first_px, last_px, samples, seen, fragments):
    """List the fragments of pixels of several samples, each triangle once in a pixel; returns how many there are."""
    table, pixel_of, sample_of = fragments.table, fragments.pixel_of, fragments.sample_of
    weight_of, mark_of = fragments.weight_of, fragments.mark_of
    share = ONE / F(samples)
    count = 0
    for px in range(first_px, last_px):
        first_in_pixel = count
        for s in range(samples):
            key = seen[at + px * samples + s]
            if key == 0:
                continue
            mark = I(key)
            known = -1
            for other in range(count - 1, first_in_pixel - 1, -1):
                if mark_of[other] == mark:
                    known = other
                    break
            if known >= 0:
                weight_of[known] += share
                continue
            pixel_of[count] = px
            sample_of[count] = s
            weight_of[count] = share
            mark_of[count] = mark
            table[NEARNESS + count] = I(key >> 32).view(F)
            count += 1
    return count


@bare_kernel
def _gather(count, row, surfaces, band, entries, fragments):
    """Fill the table of listed fragments: where they lie, their normals and their materials."""
    table, faces, wholes = fragments.table, fragments.faces, fragments.wholes
    place_x, place_y = band.place_x, band.place_y
    top = F(band.top + row)
    k = -1
    part = 0
    run = 0
    for i in range(count):
        mark = fragments.mark_of[i]
        s = U(fragments.sample_of[i])
        x = F(fragments.pixel_of[i]) + place_x[s]
        y = top + place_y[s]
        at = U(mark) & U(FACES - 1)
        if wholes[at, MARK] != mark:
            wholes[at, MARK] = mark
            put_face(faces, wholes, at, surfaces, entries[U(mark) >> U(7)], mark & 127, x, y)
        if wholes[at, INSTANCE] != k:
            if i > run:
                put_material(table, run, i, surfaces, part, k)
            run = i
            k = wholes[at, INSTANCE]
            part = surfaces.part_of[k]
        put_fragment(table, i, faces, wholes, at, surfaces, part, x, y)
    if count > run:
        put_material(table, run, count, surfaces, part, k)


@kernel
def depths(seen, zs):
    """Write the 1/w of each sample, for what is drawn over the surfaces."""
    for i in range(len(seen)):
        zs[i] = I(seen[i] >> 32).view(F)


@bare_kernel
def _lay(table, count, pixel_of, weight_of, first_px, behind, out):
    """Write a stretch of a row: the sums of its pixels' fragments, and what is behind where they leave it open."""
    width = len(out) // 4
    for i in range(width):
        table[SUM_R + i] = ZERO
        table[SUM_G + i] = ZERO
        table[SUM_B + i] = ZERO
        table[SUM_A + i] = ZERO
    for i in range(count):
        at = U(pixel_of[i] - first_px)
        weight = weight_of[i]
        table[U(SUM_R) + at] += table[OUT_R + i] * weight
        table[U(SUM_G) + at] += table[OUT_G + i] * weight
        table[U(SUM_B) + at] += table[OUT_B + i] * weight
        table[U(SUM_A) + at] += weight
    red, green, blue, alpha = behind[0], behind[1], behind[2], behind[3]
    for i in range(width):
        open_share = max(ONE - table[SUM_A + i], ZERO)
        out[4 * i] = table[SUM_R + i] + red * open_share
        out[4 * i + 1] = table[SUM_G + i] + green * open_share
        out[4 * i + 2] = table[SUM_B + i] + blue * open_share
        out[4 * i + 3] = table[SUM_A + i] + alpha * open_share


@kernel
def lay_background(background, out):
    """Fill a band's picture, flat, with what is behind everything, (rows, 4)."""
    width = len(out) // len(background)
    for row in range(len(background)):
        red, green, blue, alpha = background[row, 0], background[row, 1], background[row, 2], background[row, 3]
        line = out[row * width : (row + 1) * width]
        for i in range(len(line) // 4):
            line[4 * i] = red
            line[4 * i + 1] = green
            line[4 * i + 2] = blue
            line[4 * i + 3] = alpha


@kernel
def shade_band(surfaces, band, lights, entries, seen, background, out):
    """Fill a band's picture, flat, with premultiplied light over a background (height, 4)."""
    fragments = _Fragments(
        np.empty(TABLE_SIZE, F),
        np.empty(BLOCK + 1, I),
        np.empty(BLOCK + 1, I),
        np.empty(BLOCK + 1, F),
        np.empty(BLOCK + 1, I),
        np.empty((FACES, FACE_SIZE), F),
        np.empty((FACES, WHOLE_SIZE), I),
    )
    fragments.wholes[:, MARK] = -1
    table = fragments.table
    samples = len(band.offsets)
    stretch = max(BLOCK // samples, 1)
    for row in range(band.rows):
        at = row * band.stride
        for first_px in range(0, band.width, stretch):
            last_px = min(first_px + stretch, band.width)
            count = 0
            if samples == 1:
                count = _list_single(at, first_px, last_px, seen, fragments)
            else:
                count = _list_many(at, first_px, last_px, samples, seen, fragments)
            _gather(count, row, surfaces, band, entries, fragments)
            if len(surfaces.paints):
                put_paint(table, count, surfaces)
            light(table, count, lights)
            begin = 4 * (row * band.width + first_px)
            _lay(
                table, count, fragments.pixel_of, fragments.weight_of, first_px, background[band.top + row],
                out[begin : begin + 4 * (last_px - first_px)],
            )  # fmt: skip
