"""Which triangle is seen at which sample of a band of rows.

Screen positions are fixed-point numbers with 8 bits below the pixel, so edges shared by two triangles neither
leave gaps nor draw twice (top-left rule). A band holds one whole number for each sample, those of a pixel side by
side: the bits of 1/w above the triangle's number, so that the nearest triangle is simply the largest number.
Source for edge functions: J. Pineda, "A parallel algorithm for polygon rasterization", SIGGRAPH 1988.
"""

from typing import NamedTuple

import numpy as np

from ..compile import bare_kernel, kernel
from ..types import HALF, ONE, SUB, ZERO, F, I, L, U
from .bins import ANY_NEAR, outline
from .clip import cut_triangle
from .hide import TILE, is_hidden, mark_changed
from .lanes import LANES, draw_lanes
from .sift import (
    AREA,
    AWAY,
    AX,
    AY,
    BX,
    BY,
    CX,
    CY,
    EA,
    EA_X,
    EA_Y,
    EB,
    EB_X,
    EB_Y,
    EC,
    EC_X,
    EC_Y,
    FOOT,
    KEPT,
    LEFT,
    RIGHT,
    SEEN,
    SMALL,
    TABLE_SIZE,
    TOP,
    Z_X,
    Z_Y,
    W,
    Z,
    owns,
    project_members,
    sift_triangles,
)

ROW_PAD = 16


@bare_kernel
def depth_bits(depth):
    """The bits of a positive float32 grow with it, so nearer (a larger 1/w) is a larger whole number."""
    return L(F(depth).view(I)) << L(32)


class Corner(NamedTuple):
    """Where a corner stands on the screen."""

    x: np.int64  # fixed-point
    y: np.int64
    z: np.float32  # 1/w
    opacity: np.float32


@bare_kernel
def _fill_small(seen, band, table, t, lane_x, lane_y, mark):
    """Draw one small triangle of a sifted cluster into a band: eight samples at a time.

    lane_x, lane_y  where the samples of a row of pixels lie, LANES of them before the first pixel's corner
    """
    stride, samples = band.stride, len(band.offsets)
    numbers = table[t:]
    x0, rows = numbers[LEFT], numbers[FOOT] - numbers[TOP] + 1
    a, a_x, a_y = I(numbers[EA]), I(numbers[EA_X]), I(numbers[EA_Y])
    b, b_x, b_y = I(numbers[EB]), I(numbers[EB_X]), I(numbers[EB_Y])
    c, c_x, c_y = I(numbers[EC]), I(numbers[EC_X]), I(numbers[EC_Y])
    z, z_x, z_y = I(numbers[Z]).view(F), I(numbers[Z_X]).view(F), I(numbers[Z_Y]).view(F)
    at = numbers[TOP] * stride + x0 * samples
    # Whole lines of the cache: what was just written is read again at once only from where it was written.
    for lane in range(-(at & (LANES - 1)), (numbers[RIGHT] - x0 + 1) * samples, LANES):
        for row in range(rows):
            down = I(row << 8)
            draw_lanes(
                seen, L(at + lane + row * stride), lane_x, lane_y, L(lane + LANES),
                (I(a + a_y * down), a_x, a_y), (I(b + b_y * down), b_x, b_y), (I(c + c_y * down), c_x, c_y),
                (z + z_y * F(down), z_x, z_y), mark,
            )  # fmt: skip


@bare_kernel
def narrowed(first, last, value, step):
    """What of a run of whole x, from first to last, has value + step * x >= 0; last < first where none has."""
    if step > 0:
        first = max(first, -(value // step))
    elif step < 0:
        last = min(last, value // -step)
    elif value < 0:
        last = L(-1)
    return first, last


@bare_kernel
def _fill_large(seen, band, a, b, c, mark):
    """Draw one triangle of any size: each sample's exact stretch of each row."""
    ax, ay, az, _ = a
    bx, by, bz, _ = b
    cx, cy, cz, _ = c
    top, rows, width, stride, offsets = band.top, band.rows, band.width, band.stride, band.offsets
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
    ea_0 = -ea_x * ax - ea_y * ay - owns(ea_x, ea_y)
    eb_0 = -eb_x * bx - eb_y * by - owns(eb_x, eb_y)
    ec_0 = -ec_x * cx - ec_y * cy - owns(ec_x, ec_y)
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
                first, last = narrowed(first, last, value, slope << 8)
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


@bare_kernel
def _fill_open(seen, band, a, b, c, area, mark):
    """Draw one triangle that is not opaque: a sample sees it where it hides at least half of what is behind."""
    ax, ay, az, ao = a
    bx, by, bz, bo = b
    cx, cy, cz, co = c
    top, rows, width, stride, offsets = band.top, band.rows, band.width, band.stride, band.offsets
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
                is_in = ea - owns(ea_x, ea_y) >= 0
                is_in &= eb - owns(eb_x, eb_y) >= 0
                is_in &= ec - owns(ec_x, ec_y) >= 0
                if not is_in:
                    continue
                share_a = F(eb) * inv
                share_b = F(ec) * inv
                share_c = F(ea) * inv
                za, zb, zc = az * share_a, bz * share_b, cz * share_c
                z = za + zb + zc
                # Opacity changes evenly over the face, not over the screen.
                if ao * za + bo * zb + co * zc < z * HALF:
                    continue
                at = row * stride + column * len(offsets) + s
                seen[at] = max(seen[at], depth_bits(z) | mark)


@bare_kernel
def _opacity(surfaces, k, point):
    """How opaque an instance is at a point, by itself and by the point."""
    if surfaces.opens[k] > 1:
        return surfaces.tints[k, 3] * surfaces.point_tints[point, 3]
    return surfaces.tints[k, 3]


@bare_kernel
def _fill_clipped(seen, surfaces, band, k, pa, pb, pc, mark, scratch):
    """Draw a triangle that crosses the near plane or the guard band."""
    culls, first, second = surfaces.culls[k], scratch.first, scratch.second
    is_open = surfaces.opens[k] > 0
    if is_open:
        first[0, 3] = _opacity(surfaces, k, pa)
        first[1, 3] = _opacity(surfaces, k, pb)
        first[2, 3] = _opacity(surfaces, k, pc)
    count = cut_triangle(surfaces, k, pa, pb, pc, band.near, scratch.first, second)
    a = cut_corner(second[0], second[0, 3])
    for i in range(1, count - 1):
        b, c = cut_corner(second[i], second[i, 3]), cut_corner(second[i + 1], second[i + 1, 3])
        area = (b.x - a.x) * (c.y - a.y) - (c.x - a.x) * (b.y - a.y)
        if area == 0 or (area > 0 and culls > 0) or (area < 0 and culls < 0):
            continue
        if area < 0:
            b, c = c, b
        if is_open:
            _fill_open(seen, band, a, b, c, abs(area), mark)
        else:
            _fill_large(seen, band, a, b, c, mark)


@bare_kernel
def cut_corner(row, opacity):
    """A corner of what is left of a clipped triangle, told by x * w, y * w and w."""
    inv = 1.0 / row[2]
    return Corner(L(np.round(row[0] * inv * 256.0)), L(np.round(row[1] * inv * 256.0)), F(inv), F(opacity))


class _Scratch(NamedTuple):
    """What one band's work writes down along the way."""

    table: np.ndarray  # int32: the cluster at hand, see sift.py
    first: np.ndarray  # (16, 4) float64: corners of what is clipped, and their opacity
    second: np.ndarray
    # int32: where the samples of a row of pixels lie, in 1/256 from a pixel's corner, LANES of them before it.
    lane_x: np.ndarray
    lane_y: np.ndarray
    far: np.ndarray  # int32: see hide.py
    is_changed: np.ndarray  # bool


@kernel
def raster_band(surfaces, band, order, entries, seen):
    """Rasterise one band's list of (instance, cluster) pairs.

    order    (E,) the places in `entries`, the nearest pairs first: what they hide is left out
    entries  (E,) the pairs of this band
    seen     (rows * stride + LANES) int64: the bits of 1/w, then the mark of what is seen, never 0:
             (entry + 1) * 128 + triangle of its cluster
    """
    samples = len(band.offsets)
    lane_count = (SMALL // 256 + 2) * samples + 2 * LANES
    tiles = ((band.rows + TILE - 1) // TILE, (band.width + TILE - 1) // TILE)
    scratch = _Scratch(
        np.empty(TABLE_SIZE, I),
        np.zeros((16, 4), np.float64),
        np.zeros((16, 4), np.float64),
        np.empty(lane_count, I),
        np.empty(lane_count, I),
        np.zeros(tiles, I),
        np.zeros(tiles, np.bool_),
    )
    for i in range(lane_count):
        lane = i - LANES
        scratch.lane_x[i] = (lane // samples) * 256 + band.offsets[lane % samples, 0]
        scratch.lane_y[i] = band.offsets[lane % samples, 1]
    offsets = band.offsets
    reach = (offsets[:, 0].min(), offsets[:, 0].max(), offsets[:, 1].min(), offsets[:, 1].max())
    for e in order:
        _raster_pair(surfaces, band, e, entries[e], seen, reach, scratch)


@bare_kernel
def _corners(surfaces, triangle):
    local = surfaces.local
    return local[0, triangle], local[1, triangle], local[2, triangle]


@bare_kernel
def _raster_pair(surfaces, band, entry, pair, seen, reach, scratch):
    table = scratch.table
    k = surfaces.pair_instance[pair]
    c = surfaces.pair_cluster[pair]
    left, right, head, foot, nearest = outline(surfaces.screen, surfaces.balls, k, c, band.near)
    last_column, last_row = F(band.width - 1), F(band.rows - 1)
    box = (L(0), L(last_column), L(0), L(last_row))
    has_box = nearest < ANY_NEAR
    if has_box:
        # A pixel wider on each side than the ball is: positions are rounded.
        box = (
            L(min(max(left - ONE, ZERO), last_column)),
            L(min(max(right + ONE, ZERO), last_column)),
            L(min(max(head - F(band.top) - ONE, ZERO), last_row)),
            L(min(max(foot - F(band.top) + ONE, ZERO), last_row)),
        )
    if has_box and is_hidden(seen, band, scratch.far, scratch.is_changed, box, nearest * F(1.0001)):
        return
    cull = surfaces.culls[k]
    is_clipped = project_members(table, surfaces, k, c, band.near)
    kept = sift_triangles(table, surfaces, c, cull, is_clipped, band, reach)
    if kept == 0:
        return
    mark_changed(scratch.is_changed, box)
    start = surfaces.member_offsets[c]
    first = surfaces.triangle_offsets[c]
    for n in range(kept):
        t = U(table[KEPT + n])
        mark = L(((entry + 1) << 7) | t)
        if is_clipped:
            a, b, d = _corners(surfaces, first + t)
            if table[AWAY + a] | table[AWAY + b] | table[AWAY + d]:
                _fill_clipped(seen, surfaces, band, k, start + a, start + b, start + d, mark, scratch)
                continue
            if table[SEEN + t] == 0:
                continue
        area = L(table[AREA + t])
        is_small = area != 0
        if is_small and surfaces.opens[k] == 0:
            _fill_small(seen, band, table, t, scratch.lane_x, scratch.lane_y, mark)
            continue
        a, b, d = _corners(surfaces, first + t)
        ax, ay, bx, by, cx, cy = (
            L(table[AX + t]),
            L(table[AY + t]),
            L(table[BX + t]),
            L(table[BY + t]),
            L(table[CX + t]),
            L(table[CY + t]),
        )
        if not is_small:
            area = (bx - ax) * (cy - ay) - (cx - ax) * (by - ay)
            if area == 0 or (area > 0 and cull > 0) or (area < 0 and cull < 0):
                continue
        # Every triangle is drawn in positive turn.
        if area < 0:
            b, d = d, b
            bx, by, cx, cy = cx, cy, bx, by
        az, bz, cz = I(table[W + a]).view(F), I(table[W + b]).view(F), I(table[W + d]).view(F)
        if surfaces.opens[k] > 0:
            at_a = Corner(ax, ay, az, _opacity(surfaces, k, start + a))
            at_b = Corner(bx, by, bz, _opacity(surfaces, k, start + b))
            at_c = Corner(cx, cy, cz, _opacity(surfaces, k, start + d))
            _fill_open(seen, band, at_a, at_b, at_c, abs(area), mark)
        else:
            _fill_large(seen, band, Corner(ax, ay, az, ONE), Corner(bx, by, bz, ONE), Corner(cx, cy, cz, ONE), mark)
