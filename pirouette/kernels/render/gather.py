"""What is seen in a stretch of a row: one fragment for each triangle in each pixel, with its place and its material.

Reads that are scattered all over the surfaces happen here, so that light is laid in straight loops.
"""

from ..compile import bare_kernel
from ..types import ONE, F, I, U
from .face import (
    INSTANCE,
    MARK,
    WHOLE_SIZE,
    has_points,
    put_begin,
    put_face,
    put_fragment,
    put_lift,
    put_material,
    put_points,
)
from .fragment import BLOCK, NEARNESS

# Faces that were seen last are remembered, each at a place that follows from its mark: most are seen in several rows.
FACES = 2048


# The most pixels of a row that are shaded at once: in a narrow stretch, faces are still known in the rows below.
STRETCH = 256


@bare_kernel
def stretch_of(band):
    """How many pixels of a row are gathered at once."""
    return min(BLOCK // len(band.offsets), STRETCH)


@bare_kernel
def _list_single(at, first_px, last_px, seen, fragments):
    """List the fragments of pixels of one sample; returns how many there are."""
    table, pixel_of, mark_of = fragments.table, fragments.pixel_of, fragments.mark_of
    line = seen[at + first_px : at + last_px]
    count = 0
    for i in range(len(line)):
        key = line[i]
        pixel_of[count] = first_px + i
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
        keys = seen[at + px * samples : at + (px + 1) * samples]
        nearest = keys[0]
        alike = 1
        while alike < samples and I(keys[alike]) == I(nearest):
            alike += 1
        if alike == samples:
            # One triangle, or nothing, is seen by them all.
            pixel_of[count] = px
            sample_of[count] = 0
            weight_of[count] = ONE
            mark_of[count] = I(nearest)
            table[NEARNESS + count] = I(nearest >> 32).view(F)
            count += nearest != 0
            continue
        first_in_pixel = count
        for s in range(samples):
            key = keys[s]
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
def _fill(count, row, surfaces, band, entries, fragments, faces):
    """Fill the table of listed fragments: where they lie, their normals and their materials."""
    table, pixel_of, sample_of, mark_of = fragments.table, fragments.pixel_of, fragments.sample_of, fragments.mark_of
    wholes = faces.wholes
    are_lifted = len(faces.lifts) > 0
    place_x, place_y = band.place_x, band.place_y
    top = F(band.top + row)
    at = U(0)
    last = k = -1
    part = run = 0
    is_dressed = False
    for i in range(count):
        mark = mark_of[i]
        s = U(sample_of[i])
        x = F(pixel_of[i]) + place_x[s]
        y = top + place_y[s]
        if mark != last:
            last = mark
            at = U(mark) & U(FACES - 1)
            if wholes[at * U(WHOLE_SIZE) + U(MARK)] != mark:
                wholes[at * U(WHOLE_SIZE) + U(MARK)] = mark
                put_face(faces, at, surfaces, entries[(U(mark) >> U(7)) - U(1)], mark & 127, x, y)
                if are_lifted:
                    put_lift(faces, at, surfaces)
            instance = wholes[at * U(WHOLE_SIZE) + U(INSTANCE)]
            if instance != k:
                if i > run:
                    put_material(table, run, i, surfaces, part, k)
                run = i
                k = instance
                part = surfaces.part_of[U(k)]
                is_dressed = has_points(surfaces, part)
        put_fragment(table, i, faces, at, x, y)
        if are_lifted:
            put_begin(table, i, faces, at, x, y)
        if is_dressed:
            put_points(table, i, faces, at, surfaces, part)
    if count > run:
        put_material(table, run, count, surfaces, part, k)


@bare_kernel
def gather(row, first_px, last_px, surfaces, band, entries, seen, fragments, faces):
    """Fill the table with the fragments of a stretch of a row; returns how many there are."""
    at = row * band.stride
    count = 0
    samples = len(band.offsets)
    if samples == 1:
        count = _list_single(at, first_px, last_px, seen, fragments)
    else:
        count = _list_many(at, first_px, last_px, samples, seen, fragments)
    _fill(count, row, surfaces, band, entries, fragments, faces)
    return count
