"""What surfaces mirror of what is around, and what is seen through those that are clear: by rays that go out from them.

Of what is opaque this is found for a whole band before it is shaded, and told in the order in which its fragments are
gathered. What is half transparent is looked at a block at a time. How rays go on is told in paths.py.
"""

from typing import NamedTuple

import numpy as np

from ..compile import bare_kernel, called_kernel, kernel
from ..types import HALF, ONE, TWO, ZERO, F, I
from .clear import put_clear
from .face import new_faces, new_fragments, put_paint
from .fragment import (
    AT_X,
    AT_Y,
    BEGIN_X,
    BEGIN_Y,
    BEGIN_Z,
    CLEAR,
    DOWN_X,
    DOWN_Y,
    DOWN_Z,
    GLOW_B,
    GLOW_G,
    GLOW_R,
    MIRRORED,
    NEARNESS,
    NX,
    NY,
    NZ,
    OUT_R,
    PART,
    PITCH,
    RAY_X,
    RAY_Y,
    RAY_Z,
    RIGHT_X,
    RIGHT_Y,
    RIGHT_Z,
    ROUGH,
)
from .gather import FACES, gather, stretch_of
from .light import THROUGH, TOLD, TOLD_SIZE, begin_light, take_mirrored
from .paths import DULL, ROUGHER, by_rays, follow, mirror, room_for, send_from_eye
from .pixels import PIXEL_SIZE, mix_around, most_seen, pixels_wide, put_pixel
from .under_way import begin_path, new_paths

# What is rough is mixed from so many pixels around, as far as the turns reach in which they ask, if these weigh enough.
REACH, ENOUGH = 3, F(12.0)
# So many numbers are mixed: what is mirrored, and what is seen through.
MIXED = TOLD_SIZE - TOLD


@kernel
def mirror_band(surfaces, band, lights, rays, mirrors, entries, seen, told):
    """Tell of each fragment of a band how much of what it mirrors rays tell, that light, and what is seen through.

    Of what is rough, each gets what the pixels around get on the mean, so that there is no grain; see shares.py.

    told  (TOLD_SIZE * N,) float32 to fill, N at least as many as there are samples in the band
    """
    fragments, faces = new_fragments(), new_faces(FACES, True)
    table, paths = fragments.table, new_paths(True)
    stretch = stretch_of(band)
    count = band.rows * band.width
    pixels = _Rough(band.rows, band.width, np.zeros(count * PIXEL_SIZE, F), np.zeros(MIXED * count, F))
    wide, total = pixels_wide(lights), np.zeros(MIXED, F)
    are_rough = False
    at = 0
    for first_px in range(0, band.width, stretch):
        last_px = min(first_px + stretch, band.width)
        for row in range(band.rows):
            count = gather(row, first_px, last_px, surfaces, band, entries, seen, fragments, faces)
            if len(surfaces.paints):
                put_paint(table, count, surfaces)
            begin_light(table, count, lights)
            if len(surfaces.clears):
                put_clear(table, count, surfaces)
            are_clear = len(surfaces.clears) > 0
            _put_mirrored(table, count, fragments, DULL, are_clear, surfaces, lights, rays, mirrors, paths)
            for i in range(count):
                told[at] = table[MIRRORED + i]
                for k in range(3):
                    told[at + TOLD + k] = table[GLOW_R + k * PITCH + i]
                    told[at + THROUGH + k] = table[OUT_R + k * PITCH + i]
                at += TOLD_SIZE
            are_rough |= _put_rough(table, count, fragments, row, surfaces, pixels)
    at = 0
    for first_px in range(0, band.width if are_rough else 0, stretch):
        last_px = min(first_px + stretch, band.width)
        for row in range(band.rows):
            count = gather(row, first_px, last_px, surfaces, band, entries, seen, fragments, faces)
            begin_light(table, count, lights)
            if len(surfaces.clears):
                put_clear(table, count, surfaces)
            for i in range(count):
                if table[ROUGH + i] > ROUGHER and (told[at] > ZERO or _is_clear(table, i, surfaces)):
                    column = fragments.pixel_of[i]
                    if mix_around(table, i, row, column, REACH, wide, pixels, pixels.light, 0, total) > ENOUGH:
                        for k in range(MIXED):
                            told[at + TOLD + k] = total[k]
                at += TOLD_SIZE


@called_kernel
def mirror_sheets(table, count, fragments, told, surfaces, lights, rays, mirrors, paths):
    """Let `count` half-transparent fragments mirror what is around as a part of their glow; after begin_light.

    Only smooth ones: what is rough is mixed from the pixels around, which are not known here, so there the skies stand
    for it all.

    told  (TOLD_SIZE * BLOCK,) float32 to work in
    """
    for i in range(count):
        for k in range(3):
            told[TOLD_SIZE * i + THROUGH + k] = table[GLOW_R + k * PITCH + i]
    _put_mirrored(table, count, fragments, ROUGHER, False, surfaces, lights, rays, mirrors, paths)
    for i in range(count):
        told[TOLD_SIZE * i] = table[MIRRORED + i]
        for k in range(3):
            told[TOLD_SIZE * i + TOLD + k] = table[GLOW_R + k * PITCH + i]
            table[GLOW_R + k * PITCH + i] = ZERO
    take_mirrored(table, count, told)


class _Rough(NamedTuple):
    """What the pixels of a band mirror where that is rough."""

    rows: int
    width: int
    seen: np.ndarray  # (rows * width * PIXEL_SIZE,) float32, see pixels.py
    light: np.ndarray  # (rows * width * MIXED,) float32: what is mirrored, then what is seen through


@bare_kernel
def _is_clear(table, i, surfaces):
    return len(surfaces.clears) > 0 and table[CLEAR + i] > ZERO


@bare_kernel
def _put_rough(table, count, fragments, row, surfaces, pixels):
    """Write what the pixels of a stretch of a row mirror and show where they are rough; returns whether any is."""
    found = False
    after = 0
    while after < count:
        slot = row * pixels.width + fragments.pixel_of[after]
        most, after = most_seen(fragments, after, count)
        if table[ROUGH + most] > ROUGHER and (table[MIRRORED + most] > ZERO or _is_clear(table, most, surfaces)):
            put_pixel(table, most, pixels.seen[slot * PIXEL_SIZE :])
            light = pixels.light[MIXED * slot :]
            for k in range(3):
                light[k] = table[GLOW_R + k * PITCH + most]
                light[3 + k] = table[OUT_R + k * PITCH + most]
            found = True
    return found


@bare_kernel
def _put_mirrored(table, count, fragments, roughest, are_clear, surfaces, lights, rays, mirrors, paths):
    """Write the light that fragments mirror, as rays tell, as their glow, and how much of it is told so.

    What is seen through those that are clear, if any are, is written as their light.

    roughest  nothing is asked of rays for what is rougher
    """
    under_way, room = 0, room_for(surfaces)
    for i in range(count):
        table[GLOW_R + i] = table[GLOW_G + i] = table[GLOW_B + i] = ZERO
        table[MIRRORED + i] = by_rays(table, i) if table[ROUGH + i] <= roughest else ZERO
        is_clear = are_clear and table[CLEAR + i] > ZERO
        if table[MIRRORED + i] <= ZERO and not is_clear:
            continue
        asked = max(1, I(np.ceil(fragments.weight_of[i] * F(mirrors.count))))
        if under_way + 2 * asked > room:
            follow(table, under_way, surfaces, lights, rays, mirrors, paths)
            under_way = 0
        turn = (I(table[AT_X + i]) & 3) + 4 * (I(table[AT_Y + i]) & 3)
        share = _share_of_turn(turn, mirrors)
        if share == ZERO:
            continue
        first = fragments.sample_of[i]
        share /= F(asked)
        for number in range(asked):
            # Several fragments in a pixel, each with a part of its rays, ask in unlike places.
            place = (first + number * mirrors.count // asked) % mirrors.count
            under_way = _begin(table, i, under_way, share, place, turn, is_clear, lights, mirrors, paths)
    follow(table, under_way, surfaces, lights, rays, mirrors, paths)


@bare_kernel
def _share_of_turn(turn, mirrors):
    """How many times the rays count that a pixel sends out in this picture, so that all its rays count as one; or 0."""
    first = (mirrors.every - turn % mirrors.every) % mirrors.every
    if mirrors.turn % mirrors.every != first:
        return ZERO
    return F(mirrors.of) / F((mirrors.of - 1 - first) // mirrors.every + 1)


@bare_kernel
def _begin(table, i, j, share, number, turn, is_clear, lights, mirrors, paths):
    """Begin rays from a place of its own within the pixel of a fragment: one mirrored, one let through, or both.

    Returns  at which place the next one begins
    """
    within, shift = mirrors.within[number], mirrors.within[mirrors.count + turn]
    right, down = within[0] + shift[0], within[1] + shift[1]
    right += np.floor(table[AT_X + i]) - np.floor(right) - table[AT_X + i]
    down += np.floor(table[AT_Y + i]) - np.floor(down) - table[AT_Y + i]
    ray = lights.rays
    x = table[RAY_X + i] + ray[0, 0] * right + ray[0, 1] * down
    y = table[RAY_Y + i] + ray[1, 0] * right + ray[1, 1] * down
    z = table[RAY_Z + i] + ray[2, 0] * right + ray[2, 1] * down
    long = np.sqrt(x * x + y * y + z * z)
    inv = ONE / long
    way = x * inv, y * inv, z * inv
    eye = lights.eye
    if is_clear:
        begin_path(paths, j, i, OUT_R, share, turn + 5 * number)
        send_from_eye(paths, j, eye, way, I(table[PART + i]), table[ROUGH + i])
        j += 1
    if table[MIRRORED + i] <= ZERO:
        return j
    nx = table[NX + i] + table[RIGHT_X + i] * right + table[DOWN_X + i] * down
    ny = table[NY + i] + table[RIGHT_Y + i] * right + table[DOWN_Y + i] * down
    nz = table[NZ + i] + table[RIGHT_Z + i] * right + table[DOWN_Z + i] * down
    # Where that ray meets the fragment's plane, unless it runs along it.
    across = x * table[NX + i] + y * table[NY + i] + z * table[NZ + i]
    towards = (
        (table[BEGIN_X + i] - eye[0]) * table[NX + i]
        + (table[BEGIN_Y + i] - eye[1]) * table[NY + i]
        + (table[BEGIN_Z + i] - eye[2]) * table[NZ + i]
    )
    depth = ONE / table[NEARNESS + i]
    along = towards / across if across < ZERO and towards < ZERO else ZERO
    if along > depth * HALF and along < depth * TWO:
        bx, by, bz = eye[0] + x * along, eye[1] + y * along, eye[2] + z * along
    else:
        bx, by, bz = table[BEGIN_X + i], table[BEGIN_Y + i], table[BEGIN_Z + i]
    begin_path(paths, j, i, GLOW_R, share, turn + 5 * number)
    # It was mirrored once: so it never sees what is behind everything, but the skies.
    paths.mirrors[j] = 1
    paths.gone[j] = long * depth
    mirror(paths, j, table, i, (bx, by, bz), way, (nx, ny, nz), number, mirrors)
    return j + 1
