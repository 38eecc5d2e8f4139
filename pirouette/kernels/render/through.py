"""What is left of a light that comes through clear surfaces: it is tinted by them, on a straight way.

One ray is cast for each pixel, and what the pixels around know is mixed, as in shares.py. Light that is bent does not
gather anywhere.
"""

from typing import NamedTuple

import numpy as np

from ..compile import bare_kernel, called_kernel, kernel
from ..embree import FARTHEST, MASK, MEETING_SIZE, MET_BODY, NEAREST, NOTHING, WAY, ask
from ..types import HALF, ONE, ZERO, F, I
from .clear import clear_at, gloss_of, index_at, is_filled, left_over, mirrored_part
from .face import LIT, METAL, ROUGHNESS, Faces, new_faces
from .fragment import BEGIN_X, BEGIN_Y, BEGIN_Z, HELD_R, NEARNESS, NX, NY, NZ, OUT_R, PITCH
from .met import put_met_face, what_is_met
from .shares import (
    CASTS_OF,
    ENOUGH,
    KEY,
    PIXEL_SIZE,
    SCOUTS,
    SEEN,
    SET_OF,
    SKY,
    SUN,
    inside,
    is_alike,
    is_cast,
    most_seen,
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
def _pass(scratch, bit, rays, surfaces, left):
    """Write how much of each colour is left of a light whose ray is known."""
    ray, faces = scratch.ray, scratch.faces
    whole = ray.view(I)
    x, y, z, far = ray[WAY], ray[WAY + 1], ray[WAY + 2], ray[FARTHEST]
    long = np.sqrt(x * x + y * y + z * z)
    near = entered = ZERO
    for _ in range(MOST_WALLS):
        ray[NEAREST], ray[FARTHEST] = near, far
        whole[MASK], whole[MET_BODY] = I(-1), NOTHING
        ask(rays.asked_what, rays.clear_scene, ray.ctypes.data)
        if whole[MET_BODY] == NOTHING:
            return
        met, at = what_is_met(ray, rays.clear_bodies, surfaces), ray[FARTHEST]
        near = at * F(1.00001) + F(1e-6)
        material = surfaces.materials[met.part]
        if I(material[LIT]) & bit == 0:
            continue
        nx, ny, nz = put_met_face(faces, met, surfaces)
        across = (nx * x + ny * y + nz * z) / (long * np.sqrt(nx * nx + ny * ny + nz * nz) + F(1e-30))
        row, facing = surfaces.clears[met.part], min(abs(across), ONE)
        open_part = ONE - mirrored_part(gloss_of(index_at(row, facing)), material[ROUGHNESS], facing)
        distance = ZERO
        if not is_filled(row) or across < ZERO:
            open_part *= clear_at(row, facing) * (ONE - material[METAL])
            if is_filled(row):
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

    They go to `count` places of rays.points, so far apart from each other, beginning with the first.
    """
    left[:3] = ONE
    way, spread, far = way_to(table, i, light, kind)
    bit = I(1) << I(light[SET_OF[kind]])
    if light[CASTS_OF[kind]] < HALF or far < ZERO or not is_cast(table, i, bit):
        return False
    ray, one = scratch.ray, scratch.one
    left[:3] = ZERO
    put_origin(table, i, ray)
    for number in range(count):
        put_way(ray, way, rays.points[SCOUTS + first + number * apart], spread, kind == SKY)
        ray[FARTHEST] = far
        one[:] = ONE
        _pass(scratch, bit, rays, surfaces, one)
        for k in range(3):
            left[k] += one[k] / F(count)
    return left[0] < ONE or left[1] < ONE or left[2] < ONE


@called_kernel
def put_tints(table, count, fragments, row, surfaces, lights, rays, pixels, scratch):
    """Write what is left of each light at the pixels of a stretch of a row, and which lights anything is lost of."""
    plane, skies, suns = pixels.rows * pixels.width, len(lights.skies), len(lights.suns)
    apart = (len(rays.points) - SCOUTS) // SCOUTS
    after = 0
    while after < count:
        column = fragments.pixel_of[after]
        most, after = most_seen(fragments, after, count)
        first = ((column & 3) + 4 * (row & 3)) * apart
        slot = row * pixels.width + column
        for number in range(skies + suns + len(lights.keys)):
            left = pixels.first_tints[3 * (slot + number * plane) :]
            if number < skies:
                is_tinted = _own(table, most, lights.skies[number], SKY, rays, first, 0, 1, surfaces, scratch, left)
            elif number < skies + suns:
                sun = lights.suns[number - skies]
                is_tinted = _own(table, most, sun, SUN, rays, first, 0, 1, surfaces, scratch, left)
            else:
                key = lights.keys[number - skies - suns]
                is_tinted = _own(table, most, key, KEY, rays, first, 0, 1, surfaces, scratch, left)
            if is_tinted:
                pixels.are_tinted[number] = 1


@called_kernel
def refine_tints(table, count, fragments, row, surfaces, lights, rays, pixels, scratch):
    """Cast more rays to suns and keys from those pixels of a stretch of a row around which anything is lost."""
    plane, skies, suns = pixels.rows * pixels.width, len(lights.skies), len(lights.suns)
    apart = (len(rays.points) - SCOUTS) // SCOUTS
    after = 0
    while after < count:
        column = fragments.pixel_of[after]
        most, after = most_seen(fragments, after, count)
        first = ((column & 1) + 2 * (row & 1)) * apart
        slot = row * pixels.width + column
        for number in range(skies + suns + len(lights.keys)):
            if pixels.are_tinted[number] == 0:
                continue
            at = 3 * (slot + number * plane)
            left = pixels.tints[at:]
            for k in range(3):
                left[k] = pixels.first_tints[at + k]
            if number < skies or not _is_any_lost(row, column, number * plane, pixels):
                continue
            if number < skies + suns:
                sun = lights.suns[number - skies]
                _own(table, most, sun, SUN, rays, first, 4 * apart, MANY, surfaces, scratch, left)
            else:
                key = lights.keys[number - skies - suns]
                _own(table, most, key, KEY, rays, first, 4 * apart, MANY, surfaces, scratch, left)


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
    left, plane = scratch.left, pixels.rows * pixels.width
    apart = (len(rays.points) - SCOUTS) // SCOUTS
    for i in range(count):
        if plane == 0 or not _put_mean(table, i, row, fragments.pixel_of[i], kind, number * plane, wide, pixels, left):
            _own(table, i, light, kind, rays, 0, apart, SCOUTS, surfaces, scratch, left)
        _tint(table, i, left)


@called_kernel
def tint_own_light(table, count, light, kind, surfaces, rays, turns, scratch):
    """The same of fragments that lie anywhere, by a ray of each."""
    left, apart = scratch.left, (len(rays.points) - SCOUTS) // SCOUTS
    for i in range(count):
        _own(table, i, light, kind, rays, turns[i] * apart, 0, 1, surfaces, scratch, left)
        _tint(table, i, left)


@bare_kernel
def _tint(table, i, left):
    for k in range(3):
        held = table[HELD_R + k * PITCH + i]
        table[OUT_R + k * PITCH + i] = held + (table[OUT_R + k * PITCH + i] - held) * left[k]


@bare_kernel
def _put_mean(table, i, row, column, kind, first, wide, pixels, left):
    """Write the mean of what the pixels around say that show the same surface; False if too few do."""
    place = table[BEGIN_X + i], table[BEGIN_Y + i], table[BEGIN_Z + i]
    normal = table[NX + i], table[NY + i], table[NZ + i]
    off = wide / table[NEARNESS + i]
    left[:] = ZERO
    weight = ZERO
    reach = 3 if kind == SKY else 1
    for down in range(-reach, reach + 1):
        other_row = inside(row + down, reach + 1, pixels.rows)
        for right in range(-reach, reach + 1):
            other = inside(column + right, reach + 1, pixels.width)
            if other_row < 0 or other < 0:
                continue
            slot = other_row * pixels.width + other
            pixel = pixels.seen[slot * PIXEL_SIZE :]
            if pixel[SEEN] == ZERO or not is_alike(pixel, place, normal, off):
                continue
            part = F((reach + 1 - abs(down)) * (reach + 1 - abs(right)))
            tints = pixels.tints[3 * (first + slot) :]
            for k in range(3):
                left[k] += part * tints[k]
            weight += part
    if weight < ENOUGH:
        return False
    for k in range(3):
        left[k] /= weight
    return True
