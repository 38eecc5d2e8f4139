"""What else a picture tells of its surfaces than their light: how far they are, which way they face, how they move.

One sample for each pixel, in its middle, of the nearest surface that covers it. What is drawn as lines, dots or added
light stands in no layer.
"""

import numpy as np

from ..compile import bare_kernel, kernel
from ..types import HALF, ONE, ZERO, F, I, U
from .face import new_faces, new_fragments, put_face, put_fragment
from .fragment import NX, NY, NZ


@kernel
def depth_band(band, seen, out):
    """Write (rows, width): the distance of what is seen along the line of sight; infinite where nothing is."""
    for row in range(band.rows):
        for px in range(band.width):
            key = seen[row * band.stride + px]
            out[row, px] = ONE / I(key >> 32).view(F) if key != 0 else F(np.inf)


@kernel
def normal_band(surfaces, band, entries, seen, out):
    """Write (rows, width, 3): the unit normals in the world, as they are lit; 0 where nothing is seen."""
    fragments, faces = new_fragments(), new_faces(1, False)
    table = fragments.table
    for row in range(band.rows):
        for px in range(band.width):
            key = seen[row * band.stride + px]
            if key == 0:
                out[row, px, 0] = out[row, px, 1] = out[row, px, 2] = ZERO
                continue
            mark = I(key)
            x, y = F(px) + HALF, F(band.top + row) + HALF
            put_face(faces, 0, surfaces, entries[(U(mark) >> U(7)) - U(1)], mark & 127, x, y)
            put_fragment(table, 0, faces, 0, x, y)
            nx, ny, nz = table[NX], table[NY], table[NZ]
            inv = ONE / max(np.sqrt(nx * nx + ny * ny + nz * nz), F(1e-20))
            out[row, px, 0], out[row, px, 1], out[row, px, 2] = nx * inv, ny * inv, nz * inv


@kernel
def number_band(surfaces, band, entries, seen, numbers, out):
    """Write (rows, width): the number of what is seen, by its part; 0 where nothing is.

    numbers  (P,) int32
    """
    for row in range(band.rows):
        for px in range(band.width):
            key = seen[row * band.stride + px]
            if key == 0:
                out[row, px] = I(0)
                continue
            pair = entries[(U(I(key)) >> U(7)) - U(1)]
            out[row, px] = numbers[surfaces.part_of[surfaces.pair_instance[pair]]]


@bare_kernel
def _corner(surfaces, k, p, x, y):
    """A point of an instance on the screen, seen from a pixel: (x·w, y·w) less the pixel's, and w."""
    m = surfaces.screen[k]
    ax, ay, az = surfaces.px[p], surfaces.py[p], surfaces.pz[p]
    w = m[2, 0] * ax + m[2, 1] * ay + m[2, 2] * az + m[2, 3]
    right = m[0, 0] * ax + m[0, 1] * ay + m[0, 2] * az + m[0, 3] - x * w
    down = m[1, 0] * ax + m[1, 1] * ay + m[1, 2] * az + m[1, 3] - y * w
    return right, down, w


@kernel
def motion_band(surfaces, before, band, entries, seen, out):
    """Write (rows, width, 2): how many pixels what is seen has come to the right and down; 0 where nothing is.

    before  the same instances and points a moment before
    """
    for row in range(band.rows):
        for px in range(band.width):
            out[row, px, 0] = out[row, px, 1] = ZERO
            key = seen[row * band.stride + px]
            if key == 0:
                continue
            mark = I(key)
            pair = entries[(U(mark) >> U(7)) - U(1)]
            k = surfaces.pair_instance[pair]
            c = surfaces.pair_cluster[pair]
            t = surfaces.triangle_offsets[c] + (mark & 127)
            start = surfaces.member_offsets[c]
            p0 = start + surfaces.local[0, t]
            p1 = start + surfaces.local[1, t]
            p2 = start + surfaces.local[2, t]
            x, y = F(px) + HALF, F(band.top + row) + HALF
            ar, ad, _ = _corner(surfaces, k, p0, x, y)
            br, bd, _ = _corner(surfaces, k, p1, x, y)
            cr, cd, _ = _corner(surfaces, k, p2, x, y)
            b0 = br * cd - cr * bd
            b1 = cr * ad - ar * cd
            b2 = ar * bd - br * ad
            ar, ad, aw = _corner(before, k, p0, x, y)
            br, bd, bw = _corner(before, k, p1, x, y)
            cr, cd, cw = _corner(before, k, p2, x, y)
            w = b0 * aw + b1 * bw + b2 * cw
            if w == ZERO:
                continue
            out[row, px, 0] = -(b0 * ar + b1 * br + b2 * cr) / w
            out[row, px, 1] = -(b0 * ad + b1 * bd + b2 * cd) / w
