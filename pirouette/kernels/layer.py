"""Additive surfaces: every face before the nearest covering one adds its light; nothing is hidden by its own kind.

Each pixel keeps a sum, so the order of the faces does not matter to the eye; it is fixed all the same.
"""

import numpy as np

from .compile import bare_kernel, kernel
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
from .light import BLOCK, NEARNESS, OPACITY, OUT_B, OUT_G, OUT_R, light

F = np.float32
I = np.int32  # noqa: E741
ZERO = F(0.0)
ONE = F(1.0)


@kernel
def _flush(fragments, count, surfaces, lights, out):
    """Add the light of a block's fragments."""
    table = fragments.table
    if len(surfaces.paints):
        put_paint(table, count, surfaces)
    light(table, count, lights)
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
def _project(surfaces, k, p, near):
    """A member of instance k on the screen and its 1/w, which is 0 where it lies behind the eye's plane."""
    m = surfaces.screen[k]
    x, y, z = surfaces.px[p], surfaces.py[p], surfaces.pz[p]
    w = m[2, 0] * x + m[2, 1] * y + m[2, 2] * z + m[2, 3]
    inv = (ONE if w > near else ZERO) / (w if w > near else ONE)
    return (
        (m[0, 0] * x + m[0, 1] * y + m[0, 2] * z + m[0, 3]) * inv,
        (m[1, 0] * x + m[1, 1] * y + m[1, 2] * z + m[1, 3]) * inv,
        inv,
    )


@kernel
def add_band(surfaces, band, lights, entries, zs, out):
    """Add the light of one band's additive (instance, cluster) pairs to its picture; zs is the 1/w of its samples."""
    samples = len(band.offsets)
    share = ONE / F(samples)
    fragments, faces = new_fragments(), new_faces(1)
    table = fragments.table
    rows, width, stride, near = band.rows, band.width, band.stride, band.near
    plane = stride // samples
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
            ax, ay, az = _project(surfaces, k, start + surfaces.local[0, t], near)
            bx, by, bz = _project(surfaces, k, start + surfaces.local[1, t], near)
            cx, cy, cz = _project(surfaces, k, start + surfaces.local[2, t], near)
            # Light that passes through the eye's plane has no edge to see: such faces are left out.
            if min(az, min(bz, cz)) == ZERO:
                continue
            ay, by, cy = ay - top, by - top, cy - top
            area = (bx - ax) * (cy - ay) - (cx - ax) * (by - ay)
            if abs(area) < F(1e-8):
                continue
            first_row = max(I(np.floor(max(min(ay, min(by, cy)), ZERO))), 0)
            last_row = min(I(np.floor(min(max(ay, max(by, cy)), F(rows)))), rows - 1)
            first_px = max(I(np.floor(max(min(ax, min(bx, cx)), ZERO))), 0)
            last_px = min(I(np.floor(min(max(ax, max(bx, cx)), F(width)))), width - 1)
            inv_area = ONE / area
            is_known = False
            for row in range(first_row, last_row + 1):
                for px in range(first_px, last_px + 1):
                    covered = ZERO
                    for s in range(samples):
                        x = F(px) + band.place_x[s]
                        y = F(row) + band.place_y[s]
                        b0 = ((bx - x) * (cy - y) - (cx - x) * (by - y)) * inv_area
                        b1 = ((cx - x) * (ay - y) - (ax - x) * (cy - y)) * inv_area
                        b2 = ONE - b0 - b1
                        # A sample on a shared edge belongs to the face that holds it strictly inside or first.
                        if b0 < ZERO or b1 < ZERO or b2 <= ZERO:
                            continue
                        nearness = b0 * az + b1 * bz + b2 * cz
                        if nearness < zs[row * stride + s * plane + px]:
                            continue
                        if covered == ZERO:
                            if not is_known:
                                put_face(faces, 0, surfaces, pair, t - first, x, y + top)
                                is_known = True
                            put_fragment(table, count, faces, 0, x, y + top)
                            if is_dressed:
                                put_points(table, count, faces, 0, surfaces, part)
                            table[NEARNESS + count] = nearness
                        covered += share
                    if covered > ZERO:
                        fragments.pixel_of[count] = px
                        fragments.row_of[count] = row
                        fragments.weight_of[count] = covered
                        count += 1
                        if count == BLOCK:
                            put_material(table, run, count, surfaces, part, k)
                            _flush(fragments, count, surfaces, lights, out)
                            count = 0
                            run = 0
        put_material(table, run, count, surfaces, part, k)
    _flush(fragments, count, surfaces, lights, out)
