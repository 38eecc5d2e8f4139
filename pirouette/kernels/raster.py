"""Which triangle is seen at which sample of a band of rows.

Screen positions are fixed-point numbers with 8 bits below the pixel, so edges shared by two triangles neither
leave gaps nor draw twice (top-left rule). A band holds one whole number for each sample, those of a pixel side by
side: the bits of 1/w above the triangle's number, so that the nearest triangle is simply the largest number.
Source for edge functions: J. Pineda, "A parallel algorithm for polygon rasterization", SIGGRAPH 1988.
"""

import numpy as np

from .bins import ANY_NEAR, outline
from .clip import GUARD, cut_triangle
from .compile import inlined_kernel, kernel
from .hide import TILE, is_hidden, mark_changed
from .lanes import LANES, draw_lanes

F = np.float32
I = np.int32  # noqa: E741
L = np.int64
U = np.uint32
U8 = np.uint8
ROW_PAD = 16
SMALL = 32 * 256  # up to this size a triangle's edges fit 32 bits, and all samples of its box are tried
ONE = F(1.0)
ZERO = F(0.0)
HALF = F(0.5)
SUB = F(256.0)


@kernel
def depth_bits(depth):
    """The bits of a positive float32 grow with it, so nearer (a larger 1/w) is a larger whole number."""
    return L(F(depth).view(I)) << L(32)


@inlined_kernel
def _owns(x, y):
    """0 where samples on an edge that runs so belong to its triangle, else 1."""
    return I(not (x > 0 or (x == 0 and y > 0)))


@inlined_kernel
def _fill_small(
    seen, stride, offsets, reach, lane_x, lane_y, width, top, rows, ax, ay, bx, by, cx, cy, az, bz, cz, mark,
):  # fmt: skip
    """Draw one small triangle, its corners fixed-point and in positive turn, into a band: eight samples at a time.

    reach           least and largest x, least and largest y of the samples in a pixel
    lane_x, lane_y  where the samples of a row of pixels lie, from the first pixel's corner on
    """
    samples = len(offsets)
    # First and last pixel of which a sample can lie inside.
    x0 = max((min(ax, min(bx, cx)) - reach[1] + I(255)) >> 8, I(0))
    x1 = min((max(ax, max(bx, cx)) - reach[0]) >> 8, I(width - 1))
    y0 = max(((min(ay, min(by, cy)) - reach[3] + I(255)) >> 8) - I(top), I(0))
    y1 = min(((max(ay, max(by, cy)) - reach[2]) >> 8) - I(top), I(rows - 1))
    if x1 < x0 or y1 < y0:
        return
    # Edge functions: along x, along y, and at the first pixel's corner; the last bit decides for samples on an edge.
    ea_x = ay - by
    eb_x = by - cy
    ec_x = cy - ay
    ea_y = bx - ax
    eb_y = cx - bx
    ec_y = ax - cx
    px = (x0 << 8) - ax
    py = ((y0 + I(top)) << 8) - ay
    ea = ea_x * px + ea_y * py - _owns(ea_x, ea_y)
    eb = eb_x * (px + ax - bx) + eb_y * (py + ay - by) - _owns(eb_x, eb_y)
    ec = ec_x * px + ec_y * py - _owns(ec_x, ec_y)
    inv = ONE / F(ea_y * (cy - ay) - (cx - ax) * (by - ay))
    z_x = ((bz - az) * F(cy - ay) - (cz - az) * F(by - ay)) * inv
    z_y = ((cz - az) * F(bx - ax) - (bz - az) * F(cx - ax)) * inv
    z = az + z_x * F(px) + z_y * F(py)
    at = y0 * stride + x0 * samples
    for lane in range(0, (x1 - x0 + 1) * samples, LANES):
        for row in range(y1 - y0 + 1):
            down = I(row << 8)
            draw_lanes(
                seen, L(at + lane + row * stride), lane_x, lane_y, L(lane),
                ea + ea_y * down, ea_x, ea_y, eb + eb_y * down, eb_x, eb_y, ec + ec_y * down, ec_x, ec_y,
                z + z_y * F(down), z_x, z_y, mark,
            )  # fmt: skip


@kernel
def _first_inside(value, step):
    """Smallest whole x with value + step * x >= 0, for step > 0."""
    return -(value // step)


@kernel
def _fill_large(seen, stride, offsets, width, top, rows, ax, ay, bx, by, cx, cy, az, bz, cz, mark):
    """Draw one triangle of any size: each sample's exact stretch of each row."""
    samples = len(offsets)
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
    ea_0 = -ea_x * ax - ea_y * ay - _owns(ea_x, ea_y)
    eb_0 = -eb_x * bx - eb_y * by - _owns(eb_x, eb_y)
    ec_0 = -ec_x * cx - ec_y * cy - _owns(ec_x, ec_y)
    inv = ONE / F(ea_y * (cy - ay) - (cx - ax) * (by - ay))
    zx = ((bz - az) * F(cy - ay) - (cz - az) * F(by - ay)) * inv
    zy = ((cz - az) * F(bx - ax) - (bz - az) * F(cx - ax)) * inv
    zx_step = zx * SUB
    for s in range(samples):
        ox = L(offsets[s, 0])
        oy = L(offsets[s, 1])
        x0 = max((left - ox + 255) >> 8, L(0))
        x1 = min((right - ox) >> 8, L(width - 1))
        y0 = max(((low - oy + 255) >> 8) - top, L(0))
        y1 = min(((high - oy) >> 8) - top, L(rows - 1))
        px = (x0 << 8) + ox
        for row in range(y0, y1 + 1):
            py = ((row + top) << 8) + oy
            first = L(0)
            last = x1 - x0
            for edge in range(3):
                slope = ea_x if edge == 0 else (eb_x if edge == 1 else ec_x)
                rise = ea_y if edge == 0 else (eb_y if edge == 1 else ec_y)
                value = (ea_0 if edge == 0 else (eb_0 if edge == 1 else ec_0)) + slope * px + rise * py
                if slope > 0:
                    first = max(first, _first_inside(value, slope << 8))
                elif slope < 0:
                    last = min(last, value // (-slope << 8))
                elif value < 0:
                    last = L(-1)
            if last < first:
                continue
            depth = az + zx * F(px - ax) + zy * F(py - ay) + zx_step * F(first)
            at = row * stride + (x0 + first) * samples + s
            if samples == 1:
                span = seen[at : at + last - first + 1]
                for i in range(len(span)):
                    span[i] = max(span[i], depth_bits(depth + zx_step * F(i)) | mark)
            else:
                for i in range(last - first + 1):
                    seen[at] = max(seen[at], depth_bits(depth + zx_step * F(i)) | mark)
                    at += samples


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
    seen, stride, offsets, width, top, rows, ax, ay, bx, by, cx, cy, az, bz, cz, area, mark,
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
                at = row * stride + column * len(offsets) + s
                seen[at] = max(seen[at], depth_bits(az * share_a + bz * share_b + cz * share_c) | mark)


@kernel
def _fill_clipped(
    seen, stride, offsets, width, top, rows, matrix, px, py, pz, pa, pb, pc, near, culls, mark, first, second,
):  # fmt: skip
    """Draw a triangle that crosses the near plane or the guard band."""
    count = cut_triangle(matrix, px, py, pz, pa, pb, pc, near, first, second)
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
        if area < 0:
            bx, by, bz, cx, cy, cz = cx, cy, cz, bx, by, bz
        _fill_large(seen, stride, offsets, width, top, rows, ax, ay, bx, by, cx, cy, F(az), F(bz), F(cz), mark)


@kernel
def _lanes(offsets):
    """Where the samples of a row of pixels lie, in 1/256 from the first pixel's corner, as long as a small triangle."""
    samples = len(offsets)
    count = (SMALL // 256 + 2) * samples + LANES
    lane_x = np.empty(count, I)
    lane_y = np.empty(count, I)
    for i in range(count):
        lane_x[i] = (i // samples) * 256 + offsets[i % samples, 0]
        lane_y[i] = offsets[i % samples, 1]
    return lane_x, lane_y


@kernel
def raster_band(
    order, entries, pair_instance, pair_cluster, screen, px, py, pz, member_offsets, local, triangle_offsets, balls,
    culls, opens, tints, point_tints, near, width, top, rows, offsets, seen, stride,
):  # fmt: skip
    """Rasterise one band's list of (instance, cluster) pairs.

    order       (E,) the places in `entries`, the nearest pairs first: what they hide is left out
    opens       (K,) 0 for opaque instances, 1 where the instance and 2 where its points have an opacity
    px, py, pz  (M,) positions of the clusters' members, cluster after cluster
    offsets     (S, 2) int32 sample positions within a pixel, 0..255
    seen        (rows * stride + LANES) int64, S for each pixel of a row: the bits of 1/w, then what is seen:
                entry * 128 + triangle of its cluster
    """
    xs = np.empty(256, I)
    ys = np.empty(256, I)
    ws = np.empty(256, F)
    clipped = np.empty(256, np.uint8)
    areas = np.empty(128, I)
    is_kept = np.empty(128, np.uint8)
    kept = np.empty(129, np.uint8)
    lane_x, lane_y = _lanes(offsets)
    reach = (offsets[:, 0].min(), offsets[:, 0].max(), offsets[:, 1].min(), offsets[:, 1].max())
    tiles = ((rows + TILE - 1) // TILE, (width + TILE - 1) // TILE)
    far = np.zeros(tiles, I)
    is_changed = np.zeros(tiles, np.bool_)
    # The band's own box on the screen, a pixel wider than its samples.
    band_low = I((top - 1) << 8)
    band_high = I((top + rows + 1) << 8)
    side_low = I(-256)
    side_high = I((width + 1) << 8)
    first = np.empty((16, 3), np.float64)
    second = np.empty((16, 3), np.float64)
    limit = F(GUARD)
    for e in order:
        pair = entries[e]
        k = pair_instance[pair]
        c = pair_cluster[pair]
        m = screen[k]
        left, right, head, foot, nearest = outline(m, balls[c], near)
        box = (L(0), L(width - 1), L(0), L(rows - 1))
        if nearest < ANY_NEAR:
            # A pixel wider on each side than the ball is: positions are rounded.
            box = (
                L(min(max(left - ONE, ZERO), F(width - 1))),
                L(min(max(right + ONE, ZERO), F(width - 1))),
                L(min(max(head - F(top) - ONE, ZERO), F(rows - 1))),
                L(min(max(foot - F(top) + ONE, ZERO), F(rows - 1))),
            )
            if is_hidden(seen, stride, rows, width, len(offsets), far, is_changed, box, F(nearest * F(1.0001))):
                continue
        mark_changed(is_changed, box)
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
            low = min(ay, min(by, cy))
            high = max(ay, max(by, cy))
            left = min(ax, min(bx, cx))
            right = max(ax, max(bx, cx))
            # Rows run downwards on screen, so faces that face the eye have a negative area.
            # It fits 32 bits where the triangle is small; of the others it is found when they are drawn.
            area = I(I(I(bx - ax) * I(cy - ay)) - I(I(cx - ax) * I(by - ay)))
            is_small = (I(right - left) <= SMALL) & (I(high - low) <= SMALL)
            is_away = (high < band_low) | (low > band_high) | (right < side_low) | (left > side_high)
            is_away |= I(left - reach[1] + I(255)) >> 8 > I(right - reach[0]) >> 8
            is_away |= I(low - reach[3] + I(255)) >> 8 > I(high - reach[2]) >> 8
            is_turned = (area == 0) | ((area > 0) & (cull > 0)) | ((area < 0) & (cull < 0))
            is_kept[t] = U8(not (is_away | (is_small & is_turned)))
            areas[t] = area if is_small else I(0)
        kept_count = 0
        for t in range(triangle_count):
            kept[kept_count] = t
            kept_count += is_clipped | is_kept[t]
        for n in range(kept_count):
            t = kept[n]
            a = corner_a[t]
            b = corner_b[t]
            d = corner_c[t]
            mark = L((e << 7) | t)
            if clipped[a] | clipped[b] | clipped[d]:
                _fill_clipped(
                    seen, stride, offsets, width, top, rows, m, px, py, pz, start + a, start + b, start + d,
                    near, cull, mark, first, second,
                )  # fmt: skip
                continue
            if is_kept[t] == 0:
                continue
            area = L(areas[t])
            is_small = area != 0
            if not is_small:
                area = L(xs[b] - xs[a]) * L(ys[d] - ys[a]) - L(xs[d] - xs[a]) * L(ys[b] - ys[a])
                if area == 0 or (area > 0 and cull > 0) or (area < 0 and cull < 0):
                    continue
            # Every triangle is drawn in positive turn.
            if area < 0:
                b, d = d, b
            if opens[k] > 0:
                of_copy = tints[k, 3]
                by_point = opens[k] > 1
                ao = of_copy * point_tints[start + a, 3] if by_point else of_copy
                bo = of_copy * point_tints[start + b, 3] if by_point else of_copy
                co = of_copy * point_tints[start + d, 3] if by_point else of_copy
                _fill_open(
                    seen, stride, offsets, width, top, rows, L(xs[a]), L(ys[a]), L(xs[b]), L(ys[b]),
                    L(xs[d]), L(ys[d]), ws[a], ws[b], ws[d], abs(area), mark, ao, bo, co, I(k),
                )  # fmt: skip
            elif is_small:
                _fill_small(
                    seen, stride, offsets, reach, lane_x, lane_y, width, top, rows,
                    xs[a], ys[a], xs[b], ys[b], xs[d], ys[d], ws[a], ws[b], ws[d], mark,
                )  # fmt: skip
            else:
                _fill_large(
                    seen, stride, offsets, width, top, rows, L(xs[a]), L(ys[a]), L(xs[b]), L(ys[b]),
                    L(xs[d]), L(ys[d]), ws[a], ws[b], ws[d], mark,
                )  # fmt: skip
