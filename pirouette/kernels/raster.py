"""Which triangle is seen at which sample: bins clusters to bands of rows, then rasterises band by band.

Screen positions are fixed-point numbers with 8 bits below the pixel, so edges shared by two triangles neither
leave gaps nor draw twice (top-left rule). A band holds one whole number for each sample: the bits of 1/w above the
triangle's number, so that the nearest triangle is simply the largest number.
Source for edge functions: J. Pineda, "A parallel algorithm for polygon rasterization", SIGGRAPH 1988.
"""

import numpy as np

from .compile import exact_kernel, inlined_kernel, kernel

F = np.float32
I = np.int32  # noqa: E741
L = np.int64
U = np.uint32
BAND_ROWS = 64
ROW_PAD = 16
SMALL = 16 * 256  # up to this size a triangle is tried pixel by pixel, beyond it row by row
GUARD = 8192.0  # screen positions beyond this many pixels are clipped before they become fixed-point
ONE = F(1.0)
ZERO = F(0.0)
HALF = F(0.5)
SUB = F(256.0)


@kernel
def prepare_instances(world, screen_from_world, screen, cofactors, start, stop):
    """Fill each instance's matrix to the screen (3, 4) and the cofactors of its turn (for normals)."""
    for k in range(start, stop):
        for r in range(3):
            for c in range(4):
                total = screen_from_world[r, 3] if c == 3 else ZERO
                for j in range(3):
                    total += screen_from_world[r, j] * world[k, j, c]
                screen[k, r, c] = total
        for r in range(3):
            a = (r + 1) % 3
            b = (r + 2) % 3
            for c in range(3):
                d = (c + 1) % 3
                e = (c + 2) % 3
                cofactors[k, r, c] = world[k, a, d] * world[k, b, e] - world[k, a, e] * world[k, b, d]


@kernel
def bin_clusters(
    start,
    stop,
    pair_instance,
    pair_cluster,
    screen,
    world,
    cofactors,
    eye,
    balls,
    cones,
    culls,
    near,
    size,
    lows,
    highs,
):
    """Find the first and last band that each (instance, cluster) pair can touch; last < first if none."""
    width = F(size[0])
    height = F(size[1])
    for p in range(start, stop):
        k = pair_instance[p]
        c = pair_cluster[p]
        lows[p] = 1
        highs[p] = 0
        x = balls[c, 0]
        y = balls[c, 1]
        z = balls[c, 2]
        radius = balls[c, 3]
        m = screen[k]
        w = m[2, 0] * x + m[2, 1] * y + m[2, 2] * z + m[2, 3]
        deep = radius * np.sqrt(m[2, 0] * m[2, 0] + m[2, 1] * m[2, 1] + m[2, 2] * m[2, 2])
        if w + deep <= near:
            continue
        first = 0
        last = (size[1] - 1) // BAND_ROWS
        if w - deep > near:
            a = ONE / (w - deep)
            b = ONE / (w + deep)
            sx = m[0, 0] * x + m[0, 1] * y + m[0, 2] * z + m[0, 3]
            wide = radius * np.sqrt(m[0, 0] * m[0, 0] + m[0, 1] * m[0, 1] + m[0, 2] * m[0, 2])
            if max((sx + wide) * a, (sx + wide) * b) < ZERO or min((sx - wide) * a, (sx - wide) * b) > width:
                continue
            sy = m[1, 0] * x + m[1, 1] * y + m[1, 2] * z + m[1, 3]
            tall = radius * np.sqrt(m[1, 0] * m[1, 0] + m[1, 1] * m[1, 1] + m[1, 2] * m[1, 2])
            top = min((sy - tall) * a, (sy - tall) * b)
            foot = max((sy + tall) * a, (sy + tall) * b)
            if foot < ZERO or top > height:
                continue
            first = max(I(0), I(top - ONE) // BAND_ROWS) if top > ZERO else 0
            last = min(last, I(min(foot + ONE, height)) // BAND_ROWS)
        if culls[k] != 0 and cones[c, 3] < F(1.5):
            # The eye in the instance's own space: inverse = transposed cofactors / determinant.
            f = cofactors[k]
            q = world[k]
            det = q[0, 0] * f[0, 0] + q[0, 1] * f[0, 1] + q[0, 2] * f[0, 2]
            dx = eye[0] - q[0, 3]
            dy = eye[1] - q[1, 3]
            dz = eye[2] - q[2, 3]
            ex = x - (f[0, 0] * dx + f[1, 0] * dy + f[2, 0] * dz) / det
            ey = y - (f[0, 1] * dx + f[1, 1] * dy + f[2, 1] * dz) / det
            ez = z - (f[0, 2] * dx + f[1, 2] * dy + f[2, 2] * dz) / det
            far = np.sqrt(ex * ex + ey * ey + ez * ez)
            if ex * cones[c, 0] + ey * cones[c, 1] + ez * cones[c, 2] > cones[c, 3] * far + radius:
                continue
        lows[p] = first
        highs[p] = last


@kernel
def list_bands(lows, highs, offsets, entries):
    """Write the pairs of each band, in their order, into one list cut by `offsets`."""
    cursor = offsets[:-1].copy()
    for p in range(len(lows)):
        for band in range(lows[p], highs[p] + 1):
            entries[cursor[band]] = p
            cursor[band] += 1


@kernel
def count_bands(lows, highs, counts):
    for p in range(len(lows)):
        for band in range(lows[p], highs[p] + 1):
            counts[band] += 1


@kernel
def depth_bits(depth):
    """The bits of a positive float32 grow with it, so nearer (a larger 1/w) is a larger whole number."""
    return L(F(depth).view(I)) << L(32)


@kernel
def _first_inside(value, step):
    """Smallest whole x with value + step * x >= 0, for step > 0."""
    return -(value // step)


@inlined_kernel
def _fill(seen, stride, plane_size, offsets, width, top, rows, ax, ay, bx, by, cx, cy, az, bz, cz, area, mark):
    """Draw one triangle, its corners fixed-point and in positive turn, into every sample plane of a band."""
    left = min(ax, min(bx, cx))
    right = max(ax, max(bx, cx))
    low = min(ay, min(by, cy))
    high = max(ay, max(by, cy))
    # Most small triangles lie between the samples: they are left before anything is divided.
    is_missed = True
    for s in range(len(offsets)):
        ox = L(offsets[s, 0])
        oy = L(offsets[s, 1])
        is_missed &= ((left - ox + 255) >> 8 > (right - ox) >> 8) | ((low - oy + 255) >> 8 > (high - oy) >> 8)
    if is_missed:
        return
    # Edge functions: along x, along y, and at the origin; the last bit decides for points on an edge.
    ea_x = ay - by
    eb_x = by - cy
    ec_x = cy - ay
    ea_y = bx - ax
    eb_y = cx - bx
    ec_y = ax - cx
    ea_0 = -ea_x * ax - ea_y * ay - L(not (ea_x > 0 or (ea_x == 0 and ea_y > 0)))
    eb_0 = -eb_x * bx - eb_y * by - L(not (eb_x > 0 or (eb_x == 0 and eb_y > 0)))
    ec_0 = -ec_x * cx - ec_y * cy - L(not (ec_x > 0 or (ec_x == 0 and ec_y > 0)))
    inv = ONE / F(area)
    zx = ((bz - az) * F(cy - ay) - (cz - az) * F(by - ay)) * inv
    zy = ((cz - az) * F(bx - ax) - (bz - az) * F(cx - ax)) * inv
    ea_step = ea_x << 8
    eb_step = eb_x << 8
    ec_step = ec_x << 8
    zx_step = zx * SUB
    is_small = right - left < SMALL and high - low < SMALL
    for s in range(len(offsets)):
        ox = L(offsets[s, 0])
        oy = L(offsets[s, 1])
        # First and last pixel whose sample can lie inside.
        x0 = max((left - ox + 255) >> 8, L(0))
        x1 = min((right - ox) >> 8, L(width - 1))
        y0 = max(((low - oy + 255) >> 8) - top, L(0))
        y1 = min(((high - oy) >> 8) - top, L(rows - 1))
        if x1 < x0 or y1 < y0:
            continue
        px = (x0 << 8) + ox
        for row in range(y0, y1 + 1):
            py = ((row + top) << 8) + oy
            ea = ea_0 + ea_x * px + ea_y * py
            eb = eb_0 + eb_x * px + eb_y * py
            ec = ec_0 + ec_x * px + ec_y * py
            depth = az + zx * F(px - ax) + zy * F(py - ay)
            at = s * plane_size + row * stride + x0
            if is_small:
                # Eight pixels at a time without a branch; those past the triangle's box lie outside of its edges,
                # and those past the row fall into its padding.
                for _ in range((x1 - x0 + 8) >> 3):
                    for i in range(8):
                        outside = (ea + ea_step * i) | (eb + eb_step * i) | (ec + ec_step * i)
                        key = depth_bits(depth + zx_step * F(i)) | mark
                        seen[at + i] = max(seen[at + i], L(0) if outside < 0 else key)
                    ea += ea_step << 3
                    eb += eb_step << 3
                    ec += ec_step << 3
                    depth += zx_step * F(8.0)
                    at += 8
                continue
            first = L(0)
            last = x1 - x0
            for edge in range(3):
                value = ea if edge == 0 else (eb if edge == 1 else ec)
                slope = ea_step if edge == 0 else (eb_step if edge == 1 else ec_step)
                if slope > 0:
                    first = max(first, _first_inside(value, slope))
                elif slope < 0:
                    last = min(last, value // (-slope))
                elif value < 0:
                    last = L(-1)
            if last < first:
                continue
            span = seen[at + first : at + last + 1]
            depth += zx_step * F(first)
            for i in range(len(span)):
                span[i] = max(span[i], depth_bits(depth + zx_step * F(i)) | mark)


@kernel
def threshold(px, row, sample, sample_count, salt):
    """What a surface's opacity must exceed to count at a sample.

    The thresholds of a pixel's samples lie evenly in 0..1 and begin at a number by chance, another one for each
    pixel and copy: so a lone surface is even, and layers behind each other mix as if by chance. The view's shader
    has the same formula.
    """
    h = U(U(I(px)) * U(0x9E3779B1) ^ U(I(row)) * U(0x85EBCA77) ^ U(salt) * U(0xC2B2AE3D))
    h = U((h ^ (h >> U(15))) * U(0x2C1B3C6D))
    h = U((h ^ (h >> U(12))) * U(0x297A2D39))
    turn = F(I((h ^ (h >> U(15))) >> U(8))) * F(1.0 / 16777216.0) + (F(sample) + HALF) / F(sample_count)
    return turn - np.floor(turn)


@kernel
def _fill_open(
    seen, stride, plane_size, offsets, width, top, rows, ax, ay, bx, by, cx, cy, az, bz, cz, area, mark,
    ao, bo, co, salt,
):  # fmt: skip
    """Draw one triangle that is not opaque: a sample sees it where its opacity is above the sample's threshold.

    ao, bo, co  opacity at the corners
    """
    left = min(ax, min(bx, cx))
    right = max(ax, max(bx, cx))
    low = min(ay, min(by, cy))
    high = max(ay, max(by, cy))
    ea_x = ay - by
    eb_x = by - cy
    ec_x = cy - ay
    ea_y = bx - ax
    eb_y = cx - bx
    ec_y = ax - cx
    inv = ONE / F(area)
    for s in range(len(offsets)):
        ox = L(offsets[s, 0])
        oy = L(offsets[s, 1])
        for row in range(max(((low - oy + 255) >> 8) - top, L(0)), min(((high - oy) >> 8) - top, L(rows - 1)) + 1):
            py = ((row + top) << 8) + oy
            for column in range(max((left - ox + 255) >> 8, L(0)), min((right - ox) >> 8, L(width - 1)) + 1):
                px = (column << 8) + ox
                # The same edge rule as for opaque triangles: the last bit decides for samples on an edge.
                ea = ea_x * (px - ax) + ea_y * (py - ay)
                eb = eb_x * (px - bx) + eb_y * (py - by)
                ec = ec_x * (px - cx) + ec_y * (py - cy)
                is_in = ea - L(not (ea_x > 0 or (ea_x == 0 and ea_y > 0))) >= 0
                is_in &= eb - L(not (eb_x > 0 or (eb_x == 0 and eb_y > 0))) >= 0
                is_in &= ec - L(not (ec_x > 0 or (ec_x == 0 and ec_y > 0))) >= 0
                if not is_in:
                    continue
                share_a = F(eb) * inv
                share_b = F(ec) * inv
                share_c = F(ea) * inv
                if ao * share_a + bo * share_b + co * share_c <= threshold(column, row + top, s, len(offsets), salt):
                    continue
                at = s * plane_size + row * stride + column
                seen[at] = max(seen[at], depth_bits(az * share_a + bz * share_b + cz * share_c) | mark)


@exact_kernel
def _clip(polygon, count, plane, out, near):
    """Cut a polygon of (x·w, y·w, w) rows by one plane; returns the number of corners left."""
    kept = 0
    for i in range(count):
        j = (i + 1) % count
        a = _side(polygon[i], plane, near)
        b = _side(polygon[j], plane, near)
        if a >= 0:
            out[kept] = polygon[i]
            kept += 1
        if (a >= 0) != (b >= 0):
            t = a / (a - b)
            for k in range(3):
                out[kept, k] = polygon[i, k] + (polygon[j, k] - polygon[i, k]) * t
            kept += 1
    return kept


@exact_kernel
def _side(corner, plane, near):
    if plane == 0:
        return corner[2] - near
    if plane == 1:
        return corner[0] + GUARD * corner[2]
    if plane == 2:
        return GUARD * corner[2] - corner[0]
    if plane == 3:
        return corner[1] + GUARD * corner[2]
    return GUARD * corner[2] - corner[1]


@kernel
def _fill_clipped(
    seen,
    stride,
    plane_size,
    offsets,
    width,
    top,
    rows,
    matrix,
    px,
    py,
    pz,
    pa,
    pb,
    pc,
    near,
    culls,
    mark,
    first,
    second,
):
    """Draw a triangle that crosses the near plane or the guard band."""
    for r in range(3):
        p = pa if r == 0 else (pb if r == 1 else pc)
        for k in range(3):
            first[r, k] = matrix[k, 0] * px[p] + matrix[k, 1] * py[p] + matrix[k, 2] * pz[p] + matrix[k, 3]
    count = 3
    for plane in range(5):
        if plane % 2 == 0:
            count = _clip(first, count, plane, second, near)
        else:
            count = _clip(second, count, plane, first, near)
        if count < 3:
            return
    # Five planes: the last cut wrote into `second`.
    for i in range(1, count - 1):
        az = 1.0 / second[0, 2]
        bz = 1.0 / second[i, 2]
        cz = 1.0 / second[i + 1, 2]
        ax = L(np.round(second[0, 0] * az * 256.0))
        ay = L(np.round(second[0, 1] * az * 256.0))
        bx = L(np.round(second[i, 0] * bz * 256.0))
        by = L(np.round(second[i, 1] * bz * 256.0))
        cx = L(np.round(second[i + 1, 0] * cz * 256.0))
        cy = L(np.round(second[i + 1, 1] * cz * 256.0))
        area = (bx - ax) * (cy - ay) - (cx - ax) * (by - ay)
        if area == 0 or (area > 0 and culls > 0) or (area < 0 and culls < 0):
            continue
        if area > 0:
            _fill(
                seen, stride, plane_size, offsets, width, top, rows,
                ax, ay, bx, by, cx, cy, F(az), F(bz), F(cz), area, mark,
            )  # fmt: skip
        else:
            _fill(
                seen, stride, plane_size, offsets, width, top, rows,
                ax, ay, cx, cy, bx, by, F(az), F(cz), F(bz), -area, mark,
            )  # fmt: skip


@kernel
def raster_band(
    entries, pair_instance, pair_cluster, screen, px, py, pz, member_offsets, local, triangle_offsets,
    culls, opens, tints, point_tints, near, width, top, rows, offsets, seen, stride,
):  # fmt: skip
    """Rasterise one band's list of (instance, cluster) pairs.

    opens       (K,) 0 for opaque instances, 1 where the instance and 2 where its points have an opacity
    px, py, pz  (M,) positions of the clusters' members, cluster after cluster

    offsets  (S, 2) int32 sample positions within a pixel, 0..255
    seen     (S * rows * stride) int64: the bits of 1/w, then what is seen: entry * 128 + triangle of its cluster
    """
    plane_size = rows * stride
    xs = np.empty(256, I)
    ys = np.empty(256, I)
    ws = np.empty(256, F)
    clipped = np.empty(256, np.uint8)
    areas = np.empty(128, L)
    kept = np.empty(129, np.uint8)
    is_single = len(offsets) == 1
    ox = I(offsets[0, 0])
    oy = I(offsets[0, 1])
    # The band's own box on the screen, a pixel wider than its samples.
    band_low = I((top - 1) << 8)
    band_high = I((top + rows + 1) << 8)
    side_low = I(-256)
    side_high = I((width + 1) << 8)
    first = np.empty((16, 3), np.float64)
    second = np.empty((16, 3), np.float64)
    limit = F(GUARD)
    for e in range(len(entries)):
        pair = entries[e]
        k = pair_instance[pair]
        c = pair_cluster[pair]
        m = screen[k]
        m00, m01, m02, m03 = m[0, 0], m[0, 1], m[0, 2], m[0, 3]
        m10, m11, m12, m13 = m[1, 0], m[1, 1], m[1, 2], m[1, 3]
        m20, m21, m22, m23 = m[2, 0], m[2, 1], m[2, 2], m[2, 3]
        start = member_offsets[c]
        count = member_offsets[c + 1] - start
        is_clipped = False
        own_x = px[start : start + count]
        own_y = py[start : start + count]
        own_z = pz[start : start + count]
        for v in range(count):
            x = own_x[v]
            y = own_y[v]
            z = own_z[v]
            w = m20 * x + m21 * y + m22 * z + m23
            behind = w <= near
            inv = ONE / (ONE if behind else w)
            sx = (m00 * x + m01 * y + m02 * z + m03) * inv
            sy = (m10 * x + m11 * y + m12 * z + m13) * inv
            away = behind | (abs(sx) > limit) | (abs(sy) > limit)
            clipped[v] = away
            is_clipped |= away
            xs[v] = I(np.floor((ZERO if away else sx) * SUB + F(0.5)))
            ys[v] = I(np.floor((ZERO if away else sy) * SUB + F(0.5)))
            ws[v] = inv
        cull = culls[k]
        t0 = triangle_offsets[c]
        triangle_count = triangle_offsets[c + 1] - t0
        corner_a = local[0, t0 : t0 + triangle_count]
        corner_b = local[1, t0 : t0 + triangle_count]
        corner_c = local[2, t0 : t0 + triangle_count]
        # First all triangles at once, in a loop that vectorises: which of them can touch a sample of this band?
        for t in range(triangle_count):
            a = corner_a[t]
            b = corner_b[t]
            d = corner_c[t]
            ax = xs[a]
            ay = ys[a]
            bx = xs[b]
            by = ys[b]
            cx = xs[d]
            cy = ys[d]
            # Rows run downwards on screen, so faces that face the eye have a negative area.
            area = L(bx - ax) * L(cy - ay) - L(cx - ax) * L(by - ay)
            low = min(ay, min(by, cy))
            high = max(ay, max(by, cy))
            left = min(ax, min(bx, cx))
            right = max(ax, max(bx, cx))
            # With one sample in each pixel a triangle that lies between the samples is dropped here.
            is_away = (high < band_low) | (low > band_high) | (right < side_low) | (left > side_high)
            is_between = ((left - ox + I(255)) >> 8 > (right - ox) >> 8) | ((low - oy + I(255)) >> 8 > (high - oy) >> 8)
            is_turned = ((area > 0) & (cull > 0)) | ((area < 0) & (cull < 0))
            areas[t] = L(0) if is_turned | is_away | (is_between & is_single) else area
        kept_count = 0
        for t in range(triangle_count):
            kept[kept_count] = t
            kept_count += is_clipped | (areas[t] != 0)
        for n in range(kept_count):
            t = kept[n]
            area = areas[t]
            # Every triangle is drawn in positive turn.
            is_swapped = area < 0
            a = corner_a[t]
            b = corner_c[t] if is_swapped else corner_b[t]
            d = corner_b[t] if is_swapped else corner_c[t]
            mark = L((e << 7) | t)
            if clipped[a] | clipped[b] | clipped[d]:
                _fill_clipped(
                    seen, stride, plane_size, offsets, width, top, rows, m, px, py, pz, start + a, start + corner_b[t],
                    start + corner_c[t], near, cull, mark, first, second,
                )  # fmt: skip
            elif area != 0 and opens[k] > 0:
                of_copy = tints[k, 3]
                by_point = opens[k] > 1
                ao = of_copy * point_tints[start + a, 3] if by_point else of_copy
                bo = of_copy * point_tints[start + b, 3] if by_point else of_copy
                co = of_copy * point_tints[start + d, 3] if by_point else of_copy
                _fill_open(
                    seen, stride, plane_size, offsets, width, top, rows, L(xs[a]), L(ys[a]), L(xs[b]), L(ys[b]),
                    L(xs[d]), L(ys[d]), ws[a], ws[b], ws[d], abs(area), mark, ao, bo, co, I(k),
                )  # fmt: skip
            elif area != 0:
                _fill(
                    seen, stride, plane_size, offsets, width, top, rows, L(xs[a]), L(ys[a]), L(xs[b]), L(ys[b]),
                    L(xs[d]), L(ys[d]), ws[a], ws[b], ws[d], abs(area), mark,
                )  # fmt: skip
