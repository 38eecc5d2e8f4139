"""Light on what a band shows: one shaded fragment for each triangle in each pixel.

First a row's fragments are gathered (scattered reads), then lit all together (straight loops that vectorise).
The page's view computes the same light in its own shader; change both together.

Sources: microfacet reflection after B. Walter et al., "Microfacet models for refraction through rough surfaces",
EGSR 2007 (the GGX distribution); C. Schlick, "An inexpensive BRDF model", Eurographics 1994.
"""

import numpy as np

from .compile import kernel
from .texture import BEYOND, ON_COLOUR, ON_GLOW, TEXTURE, put_place, sample

F = np.float32
I = np.int32  # noqa: E741
ZERO = F(0.0)
ONE = F(1.0)
TWO = F(2.0)
HALF = F(0.5)
TINY = F(1e-12)
DIELECTRIC = F(0.04)

# Columns of a material row.
COLOUR, GLOW, ROUGHNESS, METAL, FLAT, HAS_TINTS, BRIGHTNESS, HAS_PAINT, MATERIAL_SIZE = 0, 3, 6, 7, 8, 9, 10, 11, 12
# Fragments are lit in blocks. Each number of a fragment has a stretch of its own in one flat table, and the stretches
# lie a constant PITCH apart: so the compiler sees that they never overlap, and lights many fragments at once.
BLOCK = 512
PITCH = BLOCK + 16  # not a power of two, or all stretches would meet in the same lines of the cache
(
    NX, NY, NZ, RED, GREEN, BLUE, DEPTH, RAY_X, RAY_Y, RAY_Z, OUT_R, OUT_G, OUT_B, GLOW_R, GLOW_G, GLOW_B, ROUGH,
    METALLIC, BRIGHT, VX, VY, VZ, FACING, BASE_R, BASE_G, BASE_B, PLACE_U, PLACE_V, SEEN_AT, PART,
    TABLE_ROWS,
) = (row * PITCH for row in range(31))  # fmt: skip
TABLE_SIZE = TABLE_ROWS


@kernel
def put_material(table, i, materials, part, red, green, blue, glow):
    """Write a fragment's material, its colours times the copy's own, its glow times `glow`."""
    table[RED + i] = red * materials[part, COLOUR]
    table[GREEN + i] = green * materials[part, COLOUR + 1]
    table[BLUE + i] = blue * materials[part, COLOUR + 2]
    table[GLOW_R + i] = red * glow * materials[part, GLOW]
    table[GLOW_G + i] = green * glow * materials[part, GLOW + 1]
    table[GLOW_B + i] = blue * glow * materials[part, GLOW + 2]
    table[ROUGH + i] = materials[part, ROUGHNESS]
    table[METALLIC + i] = materials[part, METAL]
    table[BRIGHT + i] = materials[part, BRIGHTNESS]


@kernel
def gather(
    row, first_px, last_px, stride, offsets, seen, entries, pair_instance, pair_cluster, parts,
    screen, cofactors, tints, points, normals, point_tints, member_offsets, local,
    triangle_offsets, materials, paints, sizes, uvs, rays, top, table, pixel_of, weight_of, instance_of,
):  # fmt: skip
    """List the fragments of one stretch of a band's row; returns how many there are, at most BLOCK.

    points, normals  (M, 3) of the clusters' members, cluster after cluster
    point_tints      (M, 5) of the same; tints (K, 5) of the instances
    paints, sizes    rows of each part, read where its material has paint; uvs (6, T) of the triangles' corners
    """
    has_paints = len(paints) > 0
    sample_count = len(offsets)
    share = ONE / F(sample_count)
    count = 0
    last = -1
    last_entry = -1
    k = 0
    part = 0
    start = 0
    first_triangle = 0
    t = 0
    p0 = 0
    p1 = 0
    p2 = 0
    x0 = y0 = w0 = x1 = y1 = w1 = x2 = y2 = w2 = ZERO
    m00 = m01 = m02 = m03 = m10 = m11 = m12 = m13 = m20 = m21 = m22 = m23 = ZERO
    f00 = f01 = f02 = f10 = f11 = f12 = f20 = f21 = f22 = ZERO
    tint_r = tint_g = tint_b = tint_glow = ZERO
    nx = ny = nz = ZERO
    is_flat = False
    for px in range(first_px, last_px):
        at = row * stride + px * sample_count
        first_in_pixel = count
        for s in range(sample_count):
            key = seen[at + s]
            if key == 0:
                continue
            mark = I(key)
            known = -1
            for other in range(first_in_pixel, count):
                if instance_of[other] == mark:
                    known = other
            if known >= 0:
                weight_of[known] += share
                continue
            if mark != last:
                last = mark
                # Neighbouring pixels mostly show the same cluster: what it shares is fetched once.
                if mark >> 7 != last_entry:
                    last_entry = mark >> 7
                    pair = entries[last_entry]
                    k = pair_instance[pair]
                    c = pair_cluster[pair]
                    part = parts[k]
                    is_flat = materials[part, FLAT] > HALF
                    first_triangle = triangle_offsets[c]
                    start = member_offsets[c]
                    m = screen[k]
                    m00, m01, m02, m03 = m[0, 0], m[0, 1], m[0, 2], m[0, 3]
                    m10, m11, m12, m13 = m[1, 0], m[1, 1], m[1, 2], m[1, 3]
                    m20, m21, m22, m23 = m[2, 0], m[2, 1], m[2, 2], m[2, 3]
                    f = cofactors[k]
                    f00, f01, f02 = f[0, 0], f[0, 1], f[0, 2]
                    f10, f11, f12 = f[1, 0], f[1, 1], f[1, 2]
                    f20, f21, f22 = f[2, 0], f[2, 1], f[2, 2]
                    tint_r, tint_g, tint_b, tint_glow = tints[k, 0], tints[k, 1], tints[k, 2], tints[k, 4]
                t = first_triangle + (mark & 127)
                p0 = start + local[0, t]
                p1 = start + local[1, t]
                p2 = start + local[2, t]
                x, y, z = points[p0, 0], points[p0, 1], points[p0, 2]
                x0 = m00 * x + m01 * y + m02 * z + m03
                y0 = m10 * x + m11 * y + m12 * z + m13
                w0 = m20 * x + m21 * y + m22 * z + m23
                x, y, z = points[p1, 0], points[p1, 1], points[p1, 2]
                x1 = m00 * x + m01 * y + m02 * z + m03
                y1 = m10 * x + m11 * y + m12 * z + m13
                w1 = m20 * x + m21 * y + m22 * z + m23
                x, y, z = points[p2, 0], points[p2, 1], points[p2, 2]
                x2 = m00 * x + m01 * y + m02 * z + m03
                y2 = m10 * x + m11 * y + m12 * z + m13
                w2 = m20 * x + m21 * y + m22 * z + m23
                if is_flat:
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
            if has_paints:
                table[PART + count] = F(part) if materials[part, HAS_PAINT] > HALF else -ONE
                if materials[part, HAS_PAINT] > HALF:
                    # How each barycentric changes to the right and downwards: they are products of edges.
                    put_place(
                        table, PLACE_U, count, paints[part], sizes[part], uvs[t], b0, b1, b2,
                        w2 * by - w1 * cy, w0 * cy - w2 * ay, w1 * ay - w0 * by,
                        w1 * cx - w2 * bx, w2 * ax - w0 * cx, w0 * bx - w1 * ax,
                        F(px) + HALF - sx, F(top + row) + HALF - sy, PITCH,
                    )  # fmt: skip
            inv = ONE / total if abs(total) > ZERO else ZERO
            b0 *= inv
            b1 *= inv
            b2 *= inv
            if not is_flat:
                nx = b0 * normals[p0, 0] + b1 * normals[p1, 0] + b2 * normals[p2, 0]
                ny = b0 * normals[p0, 1] + b1 * normals[p1, 1] + b2 * normals[p2, 1]
                nz = b0 * normals[p0, 2] + b1 * normals[p1, 2] + b2 * normals[p2, 2]
            # Rows run downwards on screen: a positive turn there is a face seen from behind.
            # (A mirrored instance turns both the face and its cofactors, which cancels out.)
            facing = -ONE if total > ZERO else ONE
            wx = (f00 * nx + f01 * ny + f02 * nz) * facing
            wy = (f10 * nx + f11 * ny + f12 * nz) * facing
            wz = (f20 * nx + f21 * ny + f22 * nz) * facing
            red = tint_r
            green = tint_g
            blue = tint_b
            glow = tint_glow
            if materials[part, HAS_TINTS] > HALF:
                red *= b0 * point_tints[p0, 0] + b1 * point_tints[p1, 0] + b2 * point_tints[p2, 0]
                green *= b0 * point_tints[p0, 1] + b1 * point_tints[p1, 1] + b2 * point_tints[p2, 1]
                blue *= b0 * point_tints[p0, 2] + b1 * point_tints[p1, 2] + b2 * point_tints[p2, 2]
                glow *= b0 * point_tints[p0, 4] + b1 * point_tints[p1, 4] + b2 * point_tints[p2, 4]
            table[NX + count] = wx
            table[NY + count] = wy
            table[NZ + count] = wz
            put_material(table, count, materials, part, red, green, blue, glow)
            table[DEPTH + count] = ONE / I(key >> 32).view(F)
            table[RAY_X + count] = rays[0, 0] * sx + rays[0, 1] * sy + rays[0, 2]
            table[RAY_Y + count] = rays[1, 0] * sx + rays[1, 1] * sy + rays[1, 2]
            table[RAY_Z + count] = rays[2, 0] * sx + rays[2, 1] * sy + rays[2, 2]
            pixel_of[count] = px
            weight_of[count] = share
            instance_of[count] = mark
            count += 1
    return count


@kernel
def put_paint(table, count, paints, texels, light_of, levels, first_levels):
    """Multiply the colours of `count` fragments with those of the pictures they lie in."""
    near = np.empty(3, F)
    far = np.empty(3, F)
    for i in range(count):
        part = I(table[PART + i])
        if part < 0:
            continue
        paint = paints[part]
        texture = I(paint[TEXTURE])
        own = levels[first_levels[texture] : first_levels[texture + 1]]
        sample(
            texels,
            light_of,
            own,
            table[PLACE_U + i],
            table[PLACE_V + i],
            table[SEEN_AT + i],
            I(paint[BEYOND]),
            near,
            far,
        )
        for k in range(3):
            table[RED + k * PITCH + i] *= ONE + (near[k] - ONE) * paint[ON_COLOUR]
            table[GLOW_R + k * PITCH + i] *= ONE + (near[k] - ONE) * paint[ON_GLOW]


@kernel
def depths(seen, zs):
    """Write the 1/w of each sample, for what is drawn over the surfaces."""
    for i in range(len(seen)):
        zs[i] = I(seen[i] >> 32).view(F)


@kernel
def light(table, count, eye, suns, keys, sky, is_flat):
    """Light `count` fragments of a table; sky is (3, 3): top, horizon, ground."""
    if is_flat:
        for i in range(count):
            table[OUT_R + i] = (table[RED + i] + table[GLOW_R + i]) * table[BRIGHT + i]
            table[OUT_G + i] = (table[GREEN + i] + table[GLOW_G + i]) * table[BRIGHT + i]
            table[OUT_B + i] = (table[BLUE + i] + table[GLOW_B + i]) * table[BRIGHT + i]
        return
    _from_sky(
        table, count, sky[0, 0], sky[0, 1], sky[0, 2], sky[1, 0], sky[1, 1], sky[1, 2], sky[2, 0], sky[2, 1], sky[2, 2]
    )
    for s in range(len(suns)):
        _from_sun(table, count, suns[s, 0], suns[s, 1], suns[s, 2], suns[s, 3], suns[s, 4], suns[s, 5])
    for s in range(len(keys)):
        _from_key(
            table, count, eye[0], eye[1], eye[2], keys[s, 0], keys[s, 1], keys[s, 2], keys[s, 3], keys[s, 4],
            keys[s, 5], keys[s, 6] * HALF, keys[s, 7],
        )  # fmt: skip
    for i in range(count):
        table[OUT_R + i] = (table[OUT_R + i] + table[GLOW_R + i]) * table[BRIGHT + i]
        table[OUT_G + i] = (table[OUT_G + i] + table[GLOW_G + i]) * table[BRIGHT + i]
        table[OUT_B + i] = (table[OUT_B + i] + table[GLOW_B + i]) * table[BRIGHT + i]


@kernel
def _from_sky(table, count, tr, tg, tb, hr, hg, hb, gr, gg, gb):
    """Begin with the sky: diffuse from the half-space of the normal, mirrored towards the eye."""
    for i in range(count):
        x = table[NX + i]
        y = table[NY + i]
        z = table[NZ + i]
        size = ONE / np.sqrt(x * x + y * y + z * z + TINY)
        nx = x * size
        ny = y * size
        nz = z * size
        x = table[RAY_X + i]
        y = table[RAY_Y + i]
        z = table[RAY_Z + i]
        far = ONE / np.sqrt(x * x + y * y + z * z)
        vx = -x * far
        vy = -y * far
        vz = -z * far
        facing = max(nx * vx + ny * vy + nz * vz, F(1e-4))
        rough = table[ROUGH + i]
        metal = table[METALLIC + i]
        dull = ONE - metal
        red = table[RED + i]
        green = table[GREEN + i]
        blue = table[BLUE + i]
        base_r = DIELECTRIC + (red - DIELECTRIC) * metal
        base_g = DIELECTRIC + (green - DIELECTRIC) * metal
        base_b = DIELECTRIC + (blue - DIELECTRIC) * metal
        up = HALF + HALF * ny
        ir = (gr + (tr - gr) * up) * F(0.6) + hr * F(0.4)
        ig = (gg + (tg - gg) * up) * F(0.6) + hg * F(0.4)
        ib = (gb + (tb - gb) * up) * F(0.6) + hb * F(0.4)
        ry = TWO * facing * ny - vy
        rise = min(abs(ry), ONE)
        rise = rise * (TWO - rise)
        above = ry > ZERO
        mr = hr + ((tr if above else gr) - hr) * rise
        mg = hg + ((tg if above else gg) - hg) * rise
        mb = hb + ((tb if above else gb) - hb) * rise
        mr += (ir - mr) * rough
        mg += (ig - mg) * rough
        mb += (ib - mb) * rough
        away = ONE - facing
        edge = away * away
        edge = edge * edge * away
        gloss = ONE - rough
        table[OUT_R + i] = ir * red * dull + mr * (base_r + (max(gloss, base_r) - base_r) * edge)
        table[OUT_G + i] = ig * green * dull + mg * (base_g + (max(gloss, base_g) - base_g) * edge)
        table[OUT_B + i] = ib * blue * dull + mb * (base_b + (max(gloss, base_b) - base_b) * edge)
        # From here on the material's colour is what it scatters, and its roughness is squared.
        table[RED + i] = red * dull
        table[GREEN + i] = green * dull
        table[BLUE + i] = blue * dull
        table[BASE_R + i] = base_r
        table[BASE_G + i] = base_g
        table[BASE_B + i] = base_b
        table[ROUGH + i] = rough * rough
        table[NX + i] = nx
        table[NY + i] = ny
        table[NZ + i] = nz
        table[VX + i] = vx
        table[VY + i] = vy
        table[VZ + i] = vz
        table[FACING + i] = facing


# The two kinds of light end alike, but a shared function for that end keeps the loops from vectorising.
@kernel
def _from_sun(table, count, lx, ly, lz, red, green, blue):
    for i in range(count):
        nx = table[NX + i]
        ny = table[NY + i]
        nz = table[NZ + i]
        vx = table[VX + i]
        vy = table[VY + i]
        vz = table[VZ + i]
        dot = max(nx * lx + ny * ly + nz * lz, ZERO)
        hx = lx + vx
        hy = ly + vy
        hz = lz + vz
        inv = ONE / np.sqrt(hx * hx + hy * hy + hz * hz + TINY)
        nh = max((nx * hx + ny * hy + nz * hz) * inv, ZERO)
        away = ONE - max((vx * hx + vy * hy + vz * hz) * inv, ZERO)
        edge = away * away
        edge = edge * edge * away
        a = table[ROUGH + i]
        shine = _shine(nh, dot, table[FACING + i], a, a)
        base_r = table[BASE_R + i]
        base_g = table[BASE_G + i]
        base_b = table[BASE_B + i]
        table[OUT_R + i] += red * dot * (table[RED + i] + shine * (base_r + (ONE - base_r) * edge))
        table[OUT_G + i] += green * dot * (table[GREEN + i] + shine * (base_g + (ONE - base_g) * edge))
        table[OUT_B + i] += blue * dot * (table[BLUE + i] + shine * (base_b + (ONE - base_b) * edge))


@kernel
def _from_key(table, count, ex, ey, ez, px, py, pz, red, green, blue, radius, reach):
    for i in range(count):
        depth = table[DEPTH + i]
        lx = px - (ex + table[RAY_X + i] * depth)
        ly = py - (ey + table[RAY_Y + i] * depth)
        lz = pz - (ez + table[RAY_Z + i] * depth)
        inv = ONE / np.sqrt(lx * lx + ly * ly + lz * lz + TINY)
        lx *= inv
        ly *= inv
        lz *= inv
        spread = min(radius * inv, ONE)
        wrap = spread * HALF
        near = min(reach * inv, F(5.0))
        nx = table[NX + i]
        ny = table[NY + i]
        nz = table[NZ + i]
        vx = table[VX + i]
        vy = table[VY + i]
        vz = table[VZ + i]
        dot = max((nx * lx + ny * ly + nz * lz + wrap) / (ONE + wrap), ZERO)
        hx = lx + vx
        hy = ly + vy
        hz = lz + vz
        inv = ONE / np.sqrt(hx * hx + hy * hy + hz * hz + TINY)
        nh = max((nx * hx + ny * hy + nz * hz) * inv, ZERO)
        away = ONE - max((vx * hx + vy * hy + vz * hz) * inv, ZERO)
        edge = away * away
        edge = edge * edge * away
        a = table[ROUGH + i]
        shine = _shine(nh, dot, table[FACING + i], a, min(a + spread * HALF, ONE))
        power = near * near * dot
        base_r = table[BASE_R + i]
        base_g = table[BASE_G + i]
        base_b = table[BASE_B + i]
        table[OUT_R + i] += red * power * (table[RED + i] + shine * (base_r + (ONE - base_r) * edge))
        table[OUT_G + i] += green * power * (table[GREEN + i] + shine * (base_g + (ONE - base_g) * edge))
        table[OUT_B + i] += blue * power * (table[BLUE + i] + shine * (base_b + (ONE - base_b) * edge))


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
    rows, width, stride, offsets, seen, entries, pair_instance, pair_cluster, parts, screen,
    cofactors, tints, points, normals, point_tints, member_offsets, local, triangle_offsets,
    materials, paints, sizes, uvs, texels, light_of, levels, first_levels, rays, top, eye, suns, keys, sky, is_flat,
    background, out,
):  # fmt: skip
    """Fill a band's (rows, width, 4) premultiplied linear picture over a background (height, 4)."""
    table = np.empty(TABLE_SIZE, F)
    pixel_of = np.empty(BLOCK, I)
    weight_of = np.empty(BLOCK, F)
    mark_of = np.empty(BLOCK, I)
    stretch = max(BLOCK // len(offsets), 1)
    for row in range(rows):
        line = out[row]
        for px in range(width):
            for c in range(4):
                line[px, c] = ZERO
        for first_px in range(0, width if len(entries) else 0, stretch):
            last_px = min(first_px + stretch, width)
            count = gather(
                row, first_px, last_px, stride, offsets, seen, entries, pair_instance, pair_cluster,
                parts, screen, cofactors, tints, points, normals, point_tints, member_offsets, local,
                triangle_offsets, materials, paints, sizes, uvs, rays, top, table, pixel_of, weight_of, mark_of,
            )  # fmt: skip
            if len(paints):
                put_paint(table, count, paints, texels, light_of, levels, first_levels)
            light(table, count, eye, suns, keys, sky, is_flat)
            for i in range(count):
                px = pixel_of[i]
                weight = weight_of[i]
                line[px, 0] += table[OUT_R + i] * weight
                line[px, 1] += table[OUT_G + i] * weight
                line[px, 2] += table[OUT_B + i] * weight
                line[px, 3] += weight
        behind = background[top + row]
        for px in range(width):
            open_share = max(ONE - line[px, 3], ZERO)
            for c in range(4):
                line[px, c] += behind[c] * open_share
