"""What is left of a light that comes through clear and waxy surfaces: it is tinted by them, on a straight way.

One ray is cast for each pixel, and what the pixels around know is mixed, as in shares.py. Light that is bent does not
gather anywhere.
"""

from typing import NamedTuple

import numpy as np

from ..compile import bare_kernel, called_kernel, kernel
from ..embree import FARTHEST, MEETING_SIZE, WAY
from ..types import HALF, ONE, ZERO, F, I
from .clear import WAX, WAX_BODY, clear_at, gloss_of, index_at, is_filled, left_over, mirrored_part
from .face import LIT, METAL, ROUGHNESS, Faces, new_faces
from .fragment import HELD_R, OUT_R, PITCH
from .kept import KEEPS, is_known, keep, put_known
from .met import meets_wall, put_met_face, what_is_met
from .pixels import PIXEL_SIZE, SEEN, mix_around, most_seen
from .shares import (
    CASTS_OF,
    ENOUGH,
    KEY,
    SCOUTS,
    SET_OF,
    SKY,
    SUN,
    is_cast,
    put_origin,
    put_way,
    way_to,
)


class Scratch(NamedTuple):
    """What is at hand while one ray is followed; made once, as counting references to it costs more than the work."""

    ray: np.ndarray  # (MEETING_SIZE,) float32
    faces: Faces  # one
    left: np.ndarray  # (3,) float32: what is left of each colour, and
    one: np.ndarray  # (3,) float32: of that by one ray


@kernel
def new_scratch():
    """Return room for what is at hand."""
    return Scratch(np.zeros(MEETING_SIZE, F), new_faces(1, True), np.zeros(3, F), np.zeros(3, F))


# So many walls are passed, and so many rays are cast where anything is lost.
MOST_WALLS, MANY = 32, 4


@called_kernel
def lose_on_way(scratch, bit, rays, surfaces, left):
    """Write how much of each colour is left of a light whose ray is known; it may begin within a body."""
    ray, faces = scratch.ray, scratch.faces
    x, y, z, far = ray[WAY], ray[WAY + 1], ray[WAY + 2], ray[FARTHEST]
    long = np.sqrt(x * x + y * y + z * z)
    near = entered = ZERO
    for _ in range(MOST_WALLS):
        if not meets_wall(ray, near, far, rays):
            return
        met, at = what_is_met(ray, rays.clear_bodies, surfaces), ray[FARTHEST]
        near = at * F(1.00001) + F(1e-6)
        material = surfaces.materials[met.part]
        if I(material[LIT]) & bit == 0:
            continue
        nx, ny, nz = put_met_face(faces, met, surfaces)
        across = (nx * x + ny * y + nz * z) / (long * np.sqrt(nx * nx + ny * ny + nz * nz) + F(1e-30))
        row, facing = surfaces.clears[met.part], min(abs(across), ONE)
        is_body = is_filled(row) or row[WAX_BODY] > HALF
        is_open = not is_body or across < ZERO
        distance = ZERO
        if row[WAX] > ZERO:
            open_part = row[WAX] if is_open else ONE
        else:
            open_part = ONE - mirrored_part(gloss_of(index_at(row, facing)), material[ROUGHNESS], facing)
            if is_open:
                open_part *= clear_at(row, facing) * (ONE - material[METAL])
        if is_open:
            if is_body:
                entered = at
            else:
                distance = ONE
        else:
            distance = (at - entered) * long
        opacity = surfaces.tints[met.copy, 3]
        for k in range(3):
            left[k] *= ONE + (open_part * left_over(row, k, distance) - ONE) * opacity


@bare_kernel
def _own(table, i, light, kind, rays, first, apart, count, surfaces, scratch, left):
    """Write how much of each colour of a light is left at a fragment, by some rays; returns whether any was lost.

    They go to `count` of SCOUTS places on the light's disc, so far apart from each other, beginning with the first.
    """
    left[:3] = ONE
    way, spread, far = way_to(table, i, light, kind)
    bit = I(1) << I(light[SET_OF[kind]])
    if light[CASTS_OF[kind]] < HALF or far < ZERO or not is_cast(table, i, bit):
        return False
    ray, one, places = scratch.ray, scratch.one, rays.places.own
    step = len(places) // SCOUTS
    left[:3] = ZERO
    put_origin(table, i, ray)
    for number in range(count):
        put_way(ray, way, places[(first + number * apart) * step], spread, kind == SKY)
        ray[FARTHEST] = far
        one[:] = ONE
        lose_on_way(scratch, bit, rays, surfaces, one)
        for k in range(3):
            left[k] += one[k] / F(count)
    return left[0] < ONE or left[1] < ONE or left[2] < ONE


@bare_kernel
def _own_of(table, i, lights, number, rays, first, apart, count, surfaces, scratch, left):
    """The same of a light by its number: skies first, then suns, then keys."""
    skies, suns = len(lights.skies), len(lights.suns)
    if number < skies:
        return _own(table, i, lights.skies[number], SKY, rays, first, apart, count, surfaces, scratch, left)
    if number < skies + suns:
        return _own(table, i, lights.suns[number - skies], SUN, rays, first, apart, count, surfaces, scratch, left)
    key = lights.keys[number - skies - suns]
    return _own(table, i, key, KEY, rays, first, apart, count, surfaces, scratch, left)


@called_kernel
def put_tints(table, count, fragments, row, surfaces, lights, rays, pixels, scratch):
    """Write what is left of each light at the pixels of a stretch of a row, and which lights anything is lost of."""
    plane = pixels.rows * pixels.width
    after = 0
    while after < count:
        column = fragments.pixel_of[after]
        most, after = most_seen(fragments, after, count)
        first = (column & 3) + 4 * (row & 3)
        slot = row * pixels.width + column
        for number in range(len(pixels.are_tinted)):
            left = pixels.first_tints[3 * (slot + number * plane) :]
            if _own_of(table, most, lights, number, rays, first, 0, 1, surfaces, scratch, left):
                pixels.are_tinted[number] = 1


@called_kernel
def refine_tints(table, count, fragments, row, surfaces, lights, rays, pixels, scratch):
    """Cast more rays to suns and keys from those pixels of a stretch of a row around which anything is lost."""
    plane, skies = pixels.rows * pixels.width, len(lights.skies)
    after = 0
    while after < count:
        column = fragments.pixel_of[after]
        most, after = most_seen(fragments, after, count)
        first = (column & 1) + 2 * (row & 1)
        slot = row * pixels.width + column
        for number in range(len(pixels.are_tinted)):
            if pixels.are_tinted[number] == 0:
                continue
            at = 3 * (slot + number * plane)
            left = pixels.tints[at:]
            for k in range(3):
                left[k] = pixels.first_tints[at + k]
            if number >= skies and _is_any_lost(row, column, number * plane, pixels):
                _own_of(table, most, lights, number, rays, first, 4, MANY, surfaces, scratch, left)


@bare_kernel
def _is_any_lost(row, column, first, pixels):
    """Whether any pixel around, seen or not, has lost anything of a light."""
    for other_row in range(max(row - 2, 0), min(row + 3, pixels.rows)):
        for other in range(max(column - 2, 0), min(column + 3, pixels.width)):
            slot = other_row * pixels.width + other
            if pixels.seen[slot * PIXEL_SIZE + SEEN] == ZERO:
                continue
            for k in range(3):
                if pixels.first_tints[3 * (first + slot) + k] < ONE:
                    return True
    return False


@called_kernel
def hold_light(table, count):
    """Keep the light that `count` fragments have, before another one is added that may be tinted."""
    for k in range(3):
        for i in range(count):
            table[HELD_R + k * PITCH + i] = table[OUT_R + k * PITCH + i]


@called_kernel
def tint_light(table, count, fragments, row, light, kind, number, wide, surfaces, rays, pixels, scratch):
    """Take from the light that was added since hold_light what clear surfaces on its way do not let through.

    number  of the light, skies first, then suns, then keys
    """
    left, plane, reach = scratch.left, pixels.rows * pixels.width, 3 if kind == SKY else 1
    lookup, kept = pixels.lookup, pixels.lookup.kept
    for i in range(count):
        weight, column = ZERO, fragments.pixel_of[i]
        if is_known(i, lookup):
            weight = ENOUGH
            put_known(i, number, lookup, kept.tints, left)
        elif plane:
            first = 3 * number * plane
            weight = mix_around(table, i, row, column, reach, wide, pixels, pixels.tints, first, left)
        if weight < ENOUGH:
            _own(table, i, light, kind, rays, 0, 1, SCOUTS, surfaces, scratch, left)
        if kept.acts == KEEPS:
            keep(row, column, number, lookup, kept.tints, left)
        _tint(table, i, left)


@called_kernel
def tint_own_light(table, count, light, kind, surfaces, rays, turns, scratch):
    """The same of fragments that lie anywhere, by a ray of each."""
    left = scratch.left
    for i in range(count):
        _own(table, i, light, kind, rays, turns[i], 0, 1, surfaces, scratch, left)
        _tint(table, i, left)


@bare_kernel
def _tint(table, i, left):
    for k in range(3):
        held = table[HELD_R + k * PITCH + i]
        table[OUT_R + k * PITCH + i] = held + (table[OUT_R + k * PITCH + i] - held) * left[k]
