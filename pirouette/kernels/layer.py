"""Additive surfaces: every face before the nearest covering one adds its light; nothing is hidden by its own kind.

Each pixel keeps a sum, so the order of the faces does not matter to the eye; it is fixed all the same.
"""

import numpy as np

from .compile import kernel
from .shade import (
    BLOCK,
    DEPTH,
    FLAT,
    HAS_PAINT,
    HAS_TINTS,
    NX,
    NY,
    NZ,
    OUT_B,
    OUT_G,
    OUT_R,
    PART,
    PITCH,
    PLACE_U,
    RAY_X,
    RAY_Y,
    RAY_Z,
    TABLE_SIZE,
    light,
    put_material,
    put_paint,
)
from .texture import put_place

F = np.float32
I = np.int32  # noqa: E741
ZERO = F(0.0)
ONE = F(1.0)
HALF = F(0.5)


@kernel
def _flush(
    table, count, rows_of, pixel_of, weight_of, paints, texels, light_of, levels, first_levels, eye, suns, keys, sky,
    is_flat, out,
):  # fmt: skip
    if len(paints):
        put_paint(table, count, paints, texels, light_of, levels, first_levels)
    light(table, count, eye, suns, keys, sky, is_flat)
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
def add_band(
    rows, width, stride, offsets, zs, entries, pair_instance, pair_cluster, parts, screen,
    cofactors, tints, points, normals, point_tints, member_offsets, local, triangle_offsets,
    materials, paints, sizes, uvs, texels, light_of, levels, first_levels, rays, top, near,
    eye, suns, keys, sky, is_flat, out,
):  # fmt: skip
    """Add the light of one band's additive (instance, cluster) pairs to its picture."""
    sample_count = len(offsets)
    share = ONE / F(sample_count)
    table = np.empty(TABLE_SIZE, F)
    pixel_of = np.empty(BLOCK, I)
    rows_of = np.empty(BLOCK, I)
    weight_of = np.empty(BLOCK, F)
    corner = np.empty((3, 3), F)
    count = 0
    for e in range(len(entries)):
        pair = entries[e]
        k = pair_instance[pair]
        c = pair_cluster[pair]
        part = parts[k]
        m = screen[k]
        f = cofactors[k]
        start = member_offsets[c]
        for t in range(triangle_offsets[c], triangle_offsets[c + 1]):
            hidden = False
            for v in range(3):
                p = start + local[v, t]
                x, y, z = points[p, 0], points[p, 1], points[p, 2]
                w = m[2, 0] * x + m[2, 1] * y + m[2, 2] * z + m[2, 3]
                hidden |= w <= near
                inv = ONE / (w if w > near else ONE)
                corner[v, 0] = (m[0, 0] * x + m[0, 1] * y + m[0, 2] * z + m[0, 3]) * inv
                corner[v, 1] = (m[1, 0] * x + m[1, 1] * y + m[1, 2] * z + m[1, 3]) * inv - F(top)
                corner[v, 2] = inv
            # Light that passes through the eye's plane has no edge to see: such faces are left out.
            if hidden:
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
            p0 = start + local[0, t]
            p1 = start + local[1, t]
            p2 = start + local[2, t]
            for row in range(first_row, last_row + 1):
                for px in range(first_px, last_px + 1):
                    covered = ZERO
                    opacity = ONE
                    for s in range(sample_count):
                        sx = F(px) + F(offsets[s, 0]) * F(1.0 / 256.0)
                        sy = F(row) + F(offsets[s, 1]) * F(1.0 / 256.0)
                        b0 = ((bx - sx) * (cy - sy) - (cx - sx) * (by - sy)) * inv_area
                        b1 = ((cx - sx) * (ay - sy) - (ax - sx) * (cy - sy)) * inv_area
                        b2 = ONE - b0 - b1
                        # A sample on a shared edge belongs to the face that holds it strictly inside or first.
                        if b0 < ZERO or b1 < ZERO or b2 <= ZERO:
                            continue
                        depth = b0 * corner[0, 2] + b1 * corner[1, 2] + b2 * corner[2, 2]
                        if depth < zs[row * stride + px * sample_count + s]:
                            continue
                        if covered == ZERO:
                            w0 = b0 * corner[0, 2] / depth
                            w1 = b1 * corner[1, 2] / depth
                            w2 = b2 * corner[2, 2] / depth
                            if materials[part, FLAT] > HALF:
                                ux = points[p1, 0] - points[p0, 0]
                                uy = points[p1, 1] - points[p0, 1]
                                uz = points[p1, 2] - points[p0, 2]
                                vx = points[p2, 0] - points[p0, 0]
                                vy = points[p2, 1] - points[p0, 1]
                                vz = points[p2, 2] - points[p0, 2]
                                nx = uy * vz - uz * vy
                                ny = uz * vx - ux * vz
                                nz = ux * vy - uy * vx
                            else:
                                nx = w0 * normals[p0, 0] + w1 * normals[p1, 0] + w2 * normals[p2, 0]
                                ny = w0 * normals[p0, 1] + w1 * normals[p1, 1] + w2 * normals[p2, 1]
                                nz = w0 * normals[p0, 2] + w1 * normals[p1, 2] + w2 * normals[p2, 2]
                            wx = f[0, 0] * nx + f[0, 1] * ny + f[0, 2] * nz
                            wy = f[1, 0] * nx + f[1, 1] * ny + f[1, 2] * nz
                            wz = f[2, 0] * nx + f[2, 1] * ny + f[2, 2] * nz
                            full_y = sy + F(top)
                            ray_x = rays[0, 0] * sx + rays[0, 1] * full_y + rays[0, 2]
                            ray_y = rays[1, 0] * sx + rays[1, 1] * full_y + rays[1, 2]
                            ray_z = rays[2, 0] * sx + rays[2, 1] * full_y + rays[2, 2]
                            towards = -ONE if wx * ray_x + wy * ray_y + wz * ray_z > ZERO else ONE
                            red, green, blue = tints[k, 0], tints[k, 1], tints[k, 2]
                            glow, opacity = tints[k, 4], tints[k, 3]
                            if materials[part, HAS_TINTS] > HALF:
                                red *= w0 * point_tints[p0, 0] + w1 * point_tints[p1, 0] + w2 * point_tints[p2, 0]
                                green *= w0 * point_tints[p0, 1] + w1 * point_tints[p1, 1] + w2 * point_tints[p2, 1]
                                blue *= w0 * point_tints[p0, 2] + w1 * point_tints[p1, 2] + w2 * point_tints[p2, 2]
                                opacity *= w0 * point_tints[p0, 3] + w1 * point_tints[p1, 3] + w2 * point_tints[p2, 3]
                                glow *= w0 * point_tints[p0, 4] + w1 * point_tints[p1, 4] + w2 * point_tints[p2, 4]
                            table[NX + count] = wx * towards
                            table[NY + count] = wy * towards
                            table[NZ + count] = wz * towards
                            put_material(table, count, materials, part, red, green, blue, glow)
                            if len(paints):
                                table[PART + count] = F(part) if materials[part, HAS_PAINT] > HALF else -ONE
                                if materials[part, HAS_PAINT] > HALF:
                                    i0, i1, i2 = corner[0, 2], corner[1, 2], corner[2, 2]
                                    put_place(
                                        table, PLACE_U, count, paints[part], sizes[part], uvs[t],
                                        b0 * i0, b1 * i1, b2 * i2,
                                        (by - cy) * inv_area * i0, (cy - ay) * inv_area * i1, (ay - by) * inv_area * i2,
                                        (cx - bx) * inv_area * i0, (ax - cx) * inv_area * i1, (bx - ax) * inv_area * i2,
                                        F(px) + HALF - sx, F(row) + HALF - sy, PITCH,
                                    )  # fmt: skip
                            table[DEPTH + count] = ONE / depth
                            table[RAY_X + count] = ray_x
                            table[RAY_Y + count] = ray_y
                            table[RAY_Z + count] = ray_z
                        covered += share
                    if covered > ZERO:
                        pixel_of[count] = px
                        rows_of[count] = row
                        weight_of[count] = covered * opacity
                        count += 1
                        if count == BLOCK:
                            _flush(
                                table, count, rows_of, pixel_of, weight_of, paints, texels, light_of, levels,
                                first_levels, eye, suns, keys, sky, is_flat, out,
                            )  # fmt: skip
                            count = 0
    _flush(
        table, count, rows_of, pixel_of, weight_of, paints, texels, light_of, levels, first_levels, eye, suns,
        keys, sky, is_flat, out,
    )  # fmt: skip
