"""Additive surfaces: every face before the nearest covering one adds its light; nothing is hidden by its own kind.

Each pixel keeps a sum, so the order of the faces does not matter to the eye; it is fixed all the same.
"""

import numpy as np

from ..compile import bare_kernel, kernel
from ..types import ONE, ZERO, F, I
from .clip import GUARD, cut_triangle
from .face import (
    has_points,
    new_faces,
    new_fragments,
    put_face,
    put_fragment,
    put_material,
    put_paint,
    put_points,
)
from .fragment import BLOCK, NEARNESS, OPACITY, OUT_B, OUT_G, OUT_R
from .light import light
from .shares import new_pixels

FAR_BESIDE = F(GUARD)


@kernel
def _flush(fragments, count, surfaces, lights, rays, pixels, out):
    """Add the light of a block's fragments."""
    table = fragments.table
    if len(surfaces.paints):
        put_paint(table, count, surfaces)
    light(table, count, fragments, 0, lights, rays, pixels)
    for i in range(count):
        row = fragments.row_of[i]
        px = fragments.pixel_of[i]
        weight = fragments.weight_of[i] * table[OPACITY + i]
        red = table[OUT_R + i] * weight
        green = table[OUT_G + i] * weight
        blue = table[OUT_B + i] * weight
        out[row, px, 0] += red
        out[row, px, 1] += green
        out[row, px, 2] += blue
        out[row, px, 3] += (ONE - out[row, px, 3]) * min(max(red, max(green, blue)), ONE)


@bare_kernel
def _corners(surfaces, k, pa, pb, pc, near, scratch, corners):
    """Write (x, y, 1/w) of what can be seen of a triangle, the corners of a convex outline; returns how many.

    It is cut where it crosses the eye's plane or reaches far beside the picture.
    """
    m = surfaces.screen[k]
    is_whole = True
    for row in range(3):
        p = pa if row == 0 else (pb if row == 1 else pc)
        x, y, z = surfaces.px[p], surfaces.py[p], surfaces.pz[p]
        w = m[2, 0] * x + m[2, 1] * y + m[2, 2] * z + m[2, 3]
        inv = ONE / (w if w > near else ONE)
        corners[row, 0] = (m[0, 0] * x + m[0, 1] * y + m[0, 2] * z + m[0, 3]) * inv
        corners[row, 1] = (m[1, 0] * x + m[1, 1] * y + m[1, 2] * z + m[1, 3]) * inv
        corners[row, 2] = inv
        is_whole &= (w > near) & (abs(corners[row, 0]) <= FAR_BESIDE) & (abs(corners[row, 1]) <= FAR_BESIDE)
    if is_whole:
        return 3
    count = cut_triangle(surfaces, k, pa, pb, pc, near, scratch, corners)
    for row in range(count):
        inv = 1.0 / corners[row, 2]
        corners[row, 0] *= inv
        corners[row, 1] *= inv
        corners[row, 2] = inv
    return count


@bare_kernel
def _cover(band, zs, row, px, plane, a, b, c, inv_area):
    """How many samples of a pixel a triangle covers, with the place of the first on the band and its 1/w.

    a, b, c  x, y on the band and 1/w of its corners
    """
    ax, ay, az = a
    bx, by, bz = b
    cx, cy, cz = c
    hits = 0
    at_x = at_y = nearness = ZERO
    for s in range(len(band.offsets)):
        x = F(px) + band.place_x[s]
        y = F(row) + band.place_y[s]
        b0 = ((bx - x) * (cy - y) - (cx - x) * (by - y)) * inv_area
        b1 = ((cx - x) * (ay - y) - (ax - x) * (cy - y)) * inv_area
        b2 = ONE - b0 - b1
        # A sample on a shared edge belongs to the face that holds it strictly inside or first.
        if b0 < ZERO or b1 < ZERO or b2 <= ZERO:
            continue
        inv = b0 * az + b1 * bz + b2 * cz
        if inv < zs[row * band.stride + s * plane + px]:
            continue
        if hits == 0:
            at_x, at_y, nearness = x, y, inv
        hits += 1
    return hits, at_x, at_y, nearness


@kernel
def add_band(surfaces, band, lights, rays, entries, zs, out):
    """Add the light of one band's additive (instance, cluster) pairs to its picture; zs is the 1/w of its samples."""
    share = ONE / F(len(band.offsets))
    fragments, faces = new_fragments(), new_faces(1, False)
    pixels = new_pixels(0, 0, lights, rays)
    scratch, corners = np.empty((16, 3), np.float64), np.empty((16, 3), np.float64)
    table = fragments.table
    rows, width = band.rows, band.width
    plane = band.stride // len(band.offsets)
    top = F(band.top)
    count = 0
    for pair in entries:
        k = surfaces.pair_instance[pair]
        c = surfaces.pair_cluster[pair]
        part = surfaces.part_of[k]
        is_dressed = has_points(surfaces, part)
        run = count
        start = surfaces.member_offsets[c]
        first = surfaces.triangle_offsets[c]
        for t in range(first, surfaces.triangle_offsets[c + 1]):
            pa, pb, pc = start + surfaces.local[0, t], start + surfaces.local[1, t], start + surfaces.local[2, t]
            is_known = False
            for piece in range(_corners(surfaces, k, pa, pb, pc, band.near, scratch, corners) - 2):
                ax, ay, az = F(corners[0, 0]), F(corners[0, 1]) - top, F(corners[0, 2])
                bx, by, bz = F(corners[piece + 1, 0]), F(corners[piece + 1, 1]) - top, F(corners[piece + 1, 2])
                cx, cy, cz = F(corners[piece + 2, 0]), F(corners[piece + 2, 1]) - top, F(corners[piece + 2, 2])
                area = (bx - ax) * (cy - ay) - (cx - ax) * (by - ay)
                if abs(area) < F(1e-8):
                    continue
                inv_area = ONE / area
                first_row = max(I(np.floor(max(min(ay, min(by, cy)), ZERO))), 0)
                last_row = min(I(np.floor(min(max(ay, max(by, cy)), F(rows)))), rows - 1)
                first_px = max(I(np.floor(max(min(ax, min(bx, cx)), ZERO))), 0)
                last_px = min(I(np.floor(min(max(ax, max(bx, cx)), F(width)))), width - 1)
                for row in range(first_row, last_row + 1):
                    for px in range(first_px, last_px + 1):
                        hits, x, y, nearness = _cover(
                            band, zs, row, px, plane, (ax, ay, az), (bx, by, bz), (cx, cy, cz), inv_area
                        )
                        if hits == 0:
                            continue
                        if not is_known:
                            put_face(faces, 0, surfaces, pair, t - first, x, y + top)
                            is_known = True
                        put_fragment(table, count, faces, 0, x, y + top)
                        if is_dressed:
                            put_points(table, count, faces, 0, surfaces, part)
                        table[NEARNESS + count] = nearness
                        fragments.pixel_of[count] = px
                        fragments.row_of[count] = row
                        fragments.weight_of[count] = F(hits) * share
                        count += 1
                        if count == BLOCK:
                            put_material(table, run, count, surfaces, part, k)
                            _flush(fragments, count, surfaces, lights, rays, pixels, out)
                            count = 0
                            run = 0
        put_material(table, run, count, surfaces, part, k)
    _flush(fragments, count, surfaces, lights, rays, pixels, out)
