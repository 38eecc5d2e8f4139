"""What is known of the pixels of a band, which share what rays told them where they show the same surface."""

import numpy as np

from ..compile import bare_kernel, called_kernel
from ..types import ONE, ZERO, F
from .fragment import BEGIN_X, BEGIN_Y, BEGIN_Z, NEARNESS, NX, NY, NZ, PITCH

# Of each pixel: whether anything is seen there, where rays begin, and its normal.
SEEN, AT, FACES, PIXEL_SIZE = 0, 1, 4, 7
# Pixels show one surface if their normals differ by less than about 40 degrees, and lie by less than so many pixels
# off each other's plane.
ALIKE = F(0.77)
WIDE_PX = F(3.0)


@called_kernel
def pixels_wide(lights):
    """How wide WIDE_PX pixels are at a distance of 1."""
    return WIDE_PX * np.sqrt(lights.rays[0, 0] ** 2 + lights.rays[1, 0] ** 2 + lights.rays[2, 0] ** 2)


@bare_kernel
def put_pixel(table, i, pixel):
    """Write which surface a pixel shows most, by one of its fragments."""
    pixel[SEEN] = ONE
    for k in range(3):
        pixel[AT + k] = table[BEGIN_X + k * PITCH + i]
        pixel[FACES + k] = table[NX + k * PITCH + i]


@bare_kernel
def most_seen(fragments, first, count):
    """Of the fragments of a pixel, beginning with the first, which shows most, and where the next pixel's begin."""
    pixel_of, weight_of = fragments.pixel_of, fragments.weight_of
    most = first
    after = first + 1
    while after < count and pixel_of[after] == pixel_of[first]:
        if weight_of[after] > weight_of[most]:
            most = after
        after += 1
    return most, after


@bare_kernel
def is_alike(pixel, place, normal, off):
    """Whether a pixel shows the surface that a place with its normal belongs to, or one less than so far off."""
    alike = normal[0] * pixel[FACES] + normal[1] * pixel[FACES + 1] + normal[2] * pixel[FACES + 2]
    apart = normal[0] * (pixel[AT] - place[0]) + normal[1] * (pixel[AT + 1] - place[1])
    apart += normal[2] * (pixel[AT + 2] - place[2])
    return alike >= ALIKE and abs(apart) <= off


@bare_kernel
def inside(at, turn, count):
    """A place in 0..count - 1: for one beyond, that of a turn before or after; below 0 if there is none."""
    if at < 0:
        at += turn
    elif at >= count:
        at -= turn
    return at if at < count else -1


@bare_kernel
def mix_around(table, i, row, column, reach, wide, pixels, numbers, first, total):
    """Write the mean of what pixels around know that show the same surface as a fragment; returns their weight.

    numbers  (N,) float32, of which each pixel has as many as `total`, those of the first pixel beginning at `first`
    """
    place = table[BEGIN_X + i], table[BEGIN_Y + i], table[BEGIN_Z + i]
    normal = table[NX + i], table[NY + i], table[NZ + i]
    off = wide / table[NEARNESS + i]
    total[:] = ZERO
    weight = ZERO
    size = len(total)
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
            for k in range(size):
                total[k] += part * numbers[first + size * slot + k]
            weight += part
    for k in range(size):
        total[k] /= max(weight, ONE)
    return weight
