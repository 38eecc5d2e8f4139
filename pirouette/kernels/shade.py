"""Light on what a band shows: one shaded fragment for each triangle in each pixel.

First a row's fragments are gathered (scattered reads), then lit all together (straight loops that vectorise).
The page's view computes the same light in its own shader; change both together.

Sources: microfacet reflection after B. Walter et al., "Microfacet models for refraction through rough surfaces",
EGSR 2007 (the GGX distribution); C. Schlick, "An inexpensive BRDF model", Eurographics 1994.
"""

import numpy as np

from .compile import kernel

F = np.float32
I = np.int32  # noqa: E741
ZERO = F(0.0)
ONE = F(1.0)
TWO = F(2.0)
HALF = F(0.5)
TINY = F(1e-12)
DIELECTRIC = F(0.04)

# Columns of a material row.
COLOUR, GLOW, ROUGHNESS, METAL, FLAT, HAS_COLOURS, BRIGHTNESS, MATERIAL_SIZE = 0, 3, 6, 7, 8, 9, 10, 11
# Rows of a fragment table.
NX, NY, NZ, RED, GREEN, BLUE, DEPTH, RAY_X, RAY_Y, RAY_Z, OUT_R, OUT_G, OUT_B, FRAGMENT_SIZE = range(14)


@kernel
def gather(
    row, width, stride, plane_size, offsets, zs, ids, entries, pair_instance, pair_cluster, point_bases, parts,
    screen, cofactors, instance_colours, points, normals, colours, members, member_offsets, local,
    triangle_offsets, materials, rays, top, table, pixel_of, weight_of, part_of, instance_of,
):  # fmt: skip
    """List the fragments of one row of a band; returns how many there are."""
    sample_count = len(offsets)
    share = ONE / F(sample_count)
    count = 0
    last = -1
    k = 0
    part = 0
    p0 = 0
    p1 = 0
    p2 = 0
    x0 = y0 = w0 = x1 = y1 = w1 = x2 = y2 = w2 = ZERO
    nx = ny = nz = ZERO
    for px in range(width):
        at = row * stride + px
        first_in_pixel = count
        for s in range(sample_count):
            mark = ids[s * plane_size + at]
            if mark < 0:
                continue
            known = -1
            for other in range(first_in_pixel, count):
                if instance_of[other] == mark:
                    known = other
            if known >= 0:
                weight_of[known] += share
                continue
            if mark != last:
                last = mark
                pair = entries[mark >> 7]
                k = pair_instance[pair]
                c = pair_cluster[pair]
                part = parts[k]
                t = triangle_offsets[c] + (mark & 127)
                base = point_bases[k]
                start = member_offsets[c]
                p0 = base + members[start + local[t, 0]]
                p1 = base + members[start + local[t, 1]]
                p2 = base + members[start + local[t, 2]]
                m = screen[k]
                x0 = m[0, 0] * points[p0, 0] + m[0, 1] * points[p0, 1] + m[0, 2] * points[p0, 2] + m[0, 3]
                y0 = m[1, 0] * points[p0, 0] + m[1, 1] * points[p0, 1] + m[1, 2] * points[p0, 2] + m[1, 3]
                w0 = m[2, 0] * points[p0, 0] + m[2, 1] * points[p0, 1] + m[2, 2] * points[p0, 2] + m[2, 3]
                x1 = m[0, 0] * points[p1, 0] + m[0, 1] * points[p1, 1] + m[0, 2] * points[p1, 2] + m[0, 3]
                y1 = m[1, 0] * points[p1, 0] + m[1, 1] * points[p1, 1] + m[1, 2] * points[p1, 2] + m[1, 3]
                w1 = m[2, 0] * points[p1, 0] + m[2, 1] * points[p1, 1] + m[2, 2] * points[p1, 2] + m[2, 3]
                x2 = m[0, 0] * points[p2, 0] + m[0, 1] * points[p2, 1] + m[0, 2] * points[p2, 2] + m[0, 3]
                y2 = m[1, 0] * points[p2, 0] + m[1, 1] * points[p2, 1] + m[1, 2] * points[p2, 2] + m[1, 3]
                w2 = m[2, 0] * points[p2, 0] + m[2, 1] * points[p2, 1] + m[2, 2] * points[p2, 2] + m[2, 3]
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
            # Barycentrics around the sample itself: small numbers, so float32 is enough.
            sx = F(px) + F(offsets[s, 0]) * F(1.0 / 256.0)
            sy = F(top + row) + F(offsets[s, 1]) * F(1.0 / 256.0)
            ax = x0 - sx * w0
            ay = y0 - sy * w0
            bx = x1 - sx * w1
            by = y1 - sy * w1
            cx = x2 - sx * w2
            cy = y2 - sy * w2
            b0 = bx * cy - cx * by
            b1 = cx * ay - ax * cy
            b2 = ax * by - bx * ay
            total = b0 + b1 + b2
            inv = ONE / total if abs(total) > ZERO else ZERO
            b0 *= inv
            b1 *= inv
            b2 *= inv
            if materials[part, FLAT] <= HALF:
                nx = b0 * normals[p0, 0] + b1 * normals[p1, 0] + b2 * normals[p2, 0]
                ny = b0 * normals[p0, 1] + b1 * normals[p1, 1] + b2 * normals[p2, 1]
                nz = b0 * normals[p0, 2] + b1 * normals[p1, 2] + b2 * normals[p2, 2]
            f = cofactors[k]
            # Rows run downwards on screen: a positive turn there is a face seen from behind.
            # (A mirrored instance turns both the face and its cofactors, which cancels out.)
            facing = -ONE if total > ZERO else ONE
            wx = (f[0, 0] * nx + f[0, 1] * ny + f[0, 2] * nz) * facing
            wy = (f[1, 0] * nx + f[1, 1] * ny + f[1, 2] * nz) * facing
            wz = (f[2, 0] * nx + f[2, 1] * ny + f[2, 2] * nz) * facing
            red = instance_colours[k, 0]
            green = instance_colours[k, 1]
            blue = instance_colours[k, 2]
            if materials[part, HAS_COLOURS] > HALF:
                red *= b0 * colours[p0, 0] + b1 * colours[p1, 0] + b2 * colours[p2, 0]
                green *= b0 * colours[p0, 1] + b1 * colours[p1, 1] + b2 * colours[p2, 1]
                blue *= b0 * colours[p0, 2] + b1 * colours[p1, 2] + b2 * colours[p2, 2]
            table[NX, count] = wx
            table[NY, count] = wy
            table[NZ, count] = wz
            table[RED, count] = red
            table[GREEN, count] = green
            table[BLUE, count] = blue
            table[DEPTH, count] = ONE / zs[s * plane_size + at]
            table[RAY_X, count] = rays[0, 0] * sx + rays[0, 1] * sy + rays[0, 2]
            table[RAY_Y, count] = rays[1, 0] * sx + rays[1, 1] * sy + rays[1, 2]
            table[RAY_Z, count] = rays[2, 0] * sx + rays[2, 1] * sy + rays[2, 2]
            pixel_of[count] = px
            weight_of[count] = share
            part_of[count] = part
            instance_of[count] = mark
            count += 1
    return count


@kernel
def light(table, count, part_of, materials, eye, suns, keys, sky, is_flat):
    """Light `count` fragments; sky is (3, 3): top, horizon, ground."""
    if is_flat:
        for i in range(count):
            row = part_of[i]
            strength = materials[row, BRIGHTNESS]
            table[OUT_R, i] = table[RED, i] * (materials[row, COLOUR] + materials[row, GLOW]) * strength
            table[OUT_G, i] = table[GREEN, i] * (materials[row, COLOUR + 1] + materials[row, GLOW + 1]) * strength
            table[OUT_B, i] = table[BLUE, i] * (materials[row, COLOUR + 2] + materials[row, GLOW + 2]) * strength
        return
    for i in range(count):
        row = part_of[i]
        size = ONE / np.sqrt(table[NX, i] ** 2 + table[NY, i] ** 2 + table[NZ, i] ** 2 + TINY)
        nx = table[NX, i] * size
        ny = table[NY, i] * size
        nz = table[NZ, i] * size
        far = ONE / np.sqrt(table[RAY_X, i] ** 2 + table[RAY_Y, i] ** 2 + table[RAY_Z, i] ** 2)
        vx = -table[RAY_X, i] * far
        vy = -table[RAY_Y, i] * far
        vz = -table[RAY_Z, i] * far
        facing = max(nx * vx + ny * vy + nz * vz, F(1e-4))
        rough = materials[row, ROUGHNESS]
        metal = materials[row, METAL]
        red = table[RED, i] * materials[row, COLOUR]
        green = table[GREEN, i] * materials[row, COLOUR + 1]
        blue = table[BLUE, i] * materials[row, COLOUR + 2]
        base_r = DIELECTRIC + (red - DIELECTRIC) * metal
        base_g = DIELECTRIC + (green - DIELECTRIC) * metal
        base_b = DIELECTRIC + (blue - DIELECTRIC) * metal
        dull = ONE - metal
        # Sky: diffuse from the half-space of the normal, mirrored towards the eye.
        up = HALF + HALF * ny
        ir = (sky[2, 0] + (sky[0, 0] - sky[2, 0]) * up) * F(0.6) + sky[1, 0] * F(0.4)
        ig = (sky[2, 1] + (sky[0, 1] - sky[2, 1]) * up) * F(0.6) + sky[1, 1] * F(0.4)
        ib = (sky[2, 2] + (sky[0, 2] - sky[2, 2]) * up) * F(0.6) + sky[1, 2] * F(0.4)
        ry = TWO * facing * ny - vy
        rise = min(abs(ry), ONE)
        rise = rise * (TWO - rise)
        pole = 0 if ry > ZERO else 2
        mr = sky[1, 0] + (sky[pole, 0] - sky[1, 0]) * rise
        mg = sky[1, 1] + (sky[pole, 1] - sky[1, 1]) * rise
        mb = sky[1, 2] + (sky[pole, 2] - sky[1, 2]) * rise
        mr += (ir - mr) * rough
        mg += (ig - mg) * rough
        mb += (ib - mb) * rough
        away = ONE - facing
        edge = away * away
        edge = edge * edge * away
        gloss = ONE - rough
        fr = base_r + (max(gloss, base_r) - base_r) * edge
        fg = base_g + (max(gloss, base_g) - base_g) * edge
        fb = base_b + (max(gloss, base_b) - base_b) * edge
        out_r = ir * red * dull + mr * fr
        out_g = ig * green * dull + mg * fg
        out_b = ib * blue * dull + mb * fb
        a = rough * rough
        for s in range(len(suns)):
            lx, ly, lz = suns[s, 0], suns[s, 1], suns[s, 2]
            dot = max(nx * lx + ny * ly + nz * lz, ZERO)
            hx, hy, hz = lx + vx, ly + vy, lz + vz
            inv = ONE / np.sqrt(hx * hx + hy * hy + hz * hz + TINY)
            nh = max((nx * hx + ny * hy + nz * hz) * inv, ZERO)
            vh = max((vx * hx + vy * hy + vz * hz) * inv, ZERO)
            shine = _shine(nh, dot, facing, a, a)
            edge = (ONE - vh) * (ONE - vh)
            edge = edge * edge * (ONE - vh)
            out_r += suns[s, 3] * dot * (red * dull + shine * (base_r + (ONE - base_r) * edge))
            out_g += suns[s, 4] * dot * (green * dull + shine * (base_g + (ONE - base_g) * edge))
            out_b += suns[s, 5] * dot * (blue * dull + shine * (base_b + (ONE - base_b) * edge))
        for s in range(len(keys)):
            lx = keys[s, 0] - (eye[0] + table[RAY_X, i] * table[DEPTH, i])
            ly = keys[s, 1] - (eye[1] + table[RAY_Y, i] * table[DEPTH, i])
            lz = keys[s, 2] - (eye[2] + table[RAY_Z, i] * table[DEPTH, i])
            inv = ONE / np.sqrt(lx * lx + ly * ly + lz * lz + TINY)
            lx *= inv
            ly *= inv
            lz *= inv
            spread = min(keys[s, 6] * HALF * inv, ONE)
            wrap = spread * HALF
            dot = max((nx * lx + ny * ly + nz * lz + wrap) / (ONE + wrap), ZERO)
            near = min(keys[s, 7] * inv, F(5.0))
            near *= near
            hx, hy, hz = lx + vx, ly + vy, lz + vz
            inv = ONE / np.sqrt(hx * hx + hy * hy + hz * hz + TINY)
            nh = max((nx * hx + ny * hy + nz * hz) * inv, ZERO)
            vh = max((vx * hx + vy * hy + vz * hz) * inv, ZERO)
            shine = _shine(nh, dot, facing, a, min(a + spread * HALF, ONE))
            edge = (ONE - vh) * (ONE - vh)
            edge = edge * edge * (ONE - vh)
            out_r += keys[s, 3] * near * dot * (red * dull + shine * (base_r + (ONE - base_r) * edge))
            out_g += keys[s, 4] * near * dot * (green * dull + shine * (base_g + (ONE - base_g) * edge))
            out_b += keys[s, 5] * near * dot * (blue * dull + shine * (base_b + (ONE - base_b) * edge))
        strength = materials[row, BRIGHTNESS]
        table[OUT_R, i] = (out_r + table[RED, i] * materials[row, GLOW]) * strength
        table[OUT_G, i] = (out_g + table[GREEN, i] * materials[row, GLOW + 1]) * strength
        table[OUT_B, i] = (out_b + table[BLUE, i] * materials[row, GLOW + 2]) * strength


@kernel
def _shine(nh, nl, nv, sharp, wide):
    """Microfacet reflection times π; a wide light widens the lobe and keeps its energy."""
    square = wide * wide
    d = nh * nh * (square - ONE) + ONE
    lobe = sharp * wide / (d * d + F(1e-9))
    k = sharp * HALF
    return lobe * F(0.25) / ((nl * (ONE - k) + k) * (nv * (ONE - k) + k) + F(1e-6))


@kernel
def shade_band(
    rows, width, stride, offsets, zs, ids, entries, pair_instance, pair_cluster, point_bases, parts, screen,
    cofactors, instance_colours, points, normals, colours, members, member_offsets, local, triangle_offsets,
    materials, rays, top, eye, suns, keys, sky, is_flat, background, out,
):  # fmt: skip
    """Fill a band's (rows, width, 4) premultiplied linear picture over a background (height, 4)."""
    plane_size = rows * stride
    size = width * min(len(offsets), 64)
    table = np.empty((FRAGMENT_SIZE, size), F)
    pixel_of = np.empty(size, I)
    weight_of = np.empty(size, F)
    part_of = np.empty(size, I)
    mark_of = np.empty(size, I)
    for row in range(rows):
        count = gather(
            row, width, stride, plane_size, offsets, zs, ids, entries, pair_instance, pair_cluster, point_bases,
            parts, screen, cofactors, instance_colours, points, normals, colours, members, member_offsets,
            local, triangle_offsets, materials, rays, top, table, pixel_of, weight_of, part_of, mark_of,
        )  # fmt: skip
        light(table, count, part_of, materials, eye, suns, keys, sky, is_flat)
        line = out[row]
        for px in range(width):
            for c in range(4):
                line[px, c] = ZERO
        for i in range(count):
            px = pixel_of[i]
            weight = weight_of[i]
            line[px, 0] += table[OUT_R, i] * weight
            line[px, 1] += table[OUT_G, i] * weight
            line[px, 2] += table[OUT_B, i] * weight
            line[px, 3] += weight
        behind = background[top + row]
        for px in range(width):
            open_share = max(ONE - line[px, 3], ZERO)
            for c in range(4):
                line[px, c] += behind[c] * open_share
