"""Additive surfaces: every face before the nearest covering one adds its light; nothing is hidden by its own kind.

Each pixel keeps a sum, so the order of the faces does not matter to the eye; it is fixed all the same.
"""

import numpy as np

from .compile import kernel
from .face import (
    CORNER,
    FACE_SIZE,
    HAS_TINTS,
    WHOLE_SIZE,
    X,
    Y,
    barycentrics,
    put_face,
    put_fragment,
    put_material,
    put_paint,
)
from .light import BLOCK, NEARNESS, OUT_B, OUT_G, OUT_R, TABLE_SIZE, light

F = np.float32
I = np.int32  # noqa: E741
ZERO = F(0.0)
ONE = F(1.0)
HALF = F(0.5)


@kernel
def _flush(table, count, rows_of, pixel_of, weight_of, surfaces, lights, out):
    if len(surfaces.paints):
        put_paint(table, count, surfaces)
    light(table, count, lights)
    for i in range(count):
        row = rows_of[i]
        px = pixel_of[i]
        red = table[OUT_R + i] * weight_of[i]
        green = table[OUT_G + i] * weight_of[i]
        blue = table[OUT_B + i] * weight_of[i]
        out[row, px, 0] += red
        out[row, px, 1] += green
        out[row, px, 2] += blue
        out[row, px, 3] += (ONE - out[row, px, 3]) * min(max(red, max(green, blue)), ONE)


@kernel
def _opacity(faces, wholes, tints, x, y):
    """How opaque a face's points make it at a place."""
    b0, b1, b2 = barycentrics(faces, 0, x - faces[0, X], y - faces[0, Y])
    p0, p1, p2 = wholes[0, CORNER], wholes[0, CORNER + 1], wholes[0, CORNER + 2]
    return (b0 * tints[p0, 3] + b1 * tints[p1, 3] + b2 * tints[p2, 3]) / (b0 + b1 + b2)


@kernel
def add_band(surfaces, band, lights, entries, zs, out):
    """Add the light of one band's additive (instance, cluster) pairs to its picture; zs is the 1/w of its samples."""
    samples = len(band.offsets)
    share = ONE / F(samples)
    table = np.empty(TABLE_SIZE, F)
    pixel_of = np.empty(BLOCK, I)
    rows_of = np.empty(BLOCK, I)
    weight_of = np.empty(BLOCK, F)
    corner = np.empty((3, 3), F)
    faces = np.empty((1, FACE_SIZE), F)
    wholes = np.empty((1, WHOLE_SIZE), I)
    points = surfaces.points
    rows, width, stride, near = band.rows, band.width, band.stride, band.near
    top = F(band.top)
    count = 0
    for pair in entries:
        k = surfaces.pair_instance[pair]
        c = surfaces.pair_cluster[pair]
        part = surfaces.part_of[k]
        has_tints = surfaces.materials[part, HAS_TINTS] > HALF
        m = surfaces.screen[k]
        start = surfaces.member_offsets[c]
        run = count
        first = surfaces.triangle_offsets[c]
        for t in range(first, surfaces.triangle_offsets[c + 1]):
            is_hidden = False
            for v in range(3):
                p = start + surfaces.local[v, t]
                x, y, z = points[p, 0], points[p, 1], points[p, 2]
                w = m[2, 0] * x + m[2, 1] * y + m[2, 2] * z + m[2, 3]
                is_hidden |= w <= near
                inv = ONE / (w if w > near else ONE)
                corner[v, 0] = (m[0, 0] * x + m[0, 1] * y + m[0, 2] * z + m[0, 3]) * inv
                corner[v, 1] = (m[1, 0] * x + m[1, 1] * y + m[1, 2] * z + m[1, 3]) * inv - top
                corner[v, 2] = inv
            # Light that passes through the eye's plane has no edge to see: such faces are left out.
            if is_hidden:
                continue
            ax, ay, bx, by, cx, cy = corner[0, 0], corner[0, 1], corner[1, 0], corner[1, 1], corner[2, 0], corner[2, 1]
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
                        nearness = b0 * corner[0, 2] + b1 * corner[1, 2] + b2 * corner[2, 2]
                        if nearness < zs[row * stride + px * samples + s]:
                            continue
                        if covered == ZERO:
                            if not is_known:
                                put_face(faces, wholes, 0, surfaces, pair, t - first, x, y + top)
                                is_known = True
                            put_fragment(table, count, faces, wholes, 0, surfaces, part, x, y + top)
                            table[NEARNESS + count] = nearness
                            opacity = surfaces.tints[k, 3]
                            if has_tints:
                                opacity *= _opacity(faces, wholes, surfaces.point_tints, x, y + top)
                            weight_of[count] = opacity
                        covered += share
                    if covered > ZERO:
                        pixel_of[count] = px
                        rows_of[count] = row
                        weight_of[count] *= covered
                        count += 1
                        if count == BLOCK:
                            put_material(table, run, count, surfaces, part, k)
                            _flush(table, count, rows_of, pixel_of, weight_of, surfaces, lights, out)
                            count = 0
                            run = 0
        put_material(table, run, count, surfaces, part, k)
    _flush(table, count, rows_of, pixel_of, weight_of, surfaces, lights, out)
