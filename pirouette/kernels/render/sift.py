"""A cluster's triangles on the screen, and which of them can touch a sample of a band, in loops that vectorise.

All numbers stand in one flat table of int32, each in a stretch of its own, and the stretches lie a constant PITCH
apart: so the compiler sees that they never overlap.
"""

import numpy as np

from ..compile import bare_kernel
from ..types import HALF, ONE, SUB, ZERO, F, I
from .clip import GUARD

SMALL = 32 * 256  # up to this size a triangle's edges fit 32 bits
PITCH = 272  # members of a cluster, of which there are at most 255, and a little more
# Of the members: the place in fixed-point, the bits of 1/w, and whether the place has no meaning, so that what stands
# there must be clipped. Of the triangles: corners, with the bits of 1/w; the area where it is small (else 0); whether
# it can be seen; of small ones, turned so that the area is positive, the pixels in which a sample can lie, and at the
# first pixel's corner each edge function and 1/w (bits) with their changes along x and y. Last, the list of those that
# can be seen.
(
    X, Y, W, AWAY, AX, AY, AZ, BX, BY, BZ, CX, CY, CZ, AREA, SEEN, LEFT, RIGHT, TOP, FOOT,
    EA, EA_X, EA_Y, EB, EB_X, EB_Y, EC, EC_X, EC_Y, Z, Z_X, Z_Y, KEPT, TABLE_SIZE,
) = (row * PITCH for row in range(33))  # fmt: skip


@bare_kernel
def owns(x, y):
    """0 where samples on an edge that runs so belong to its triangle, else 1."""
    return I((x < 0) | ((x == 0) & (y <= 0)))


@bare_kernel
def project_members(table, surfaces, k, c, near):
    """Write where the members of cluster c of instance k stand; returns whether any must be clipped."""
    screen = surfaces.screen
    m00, m01, m02, m03 = screen[k, 0, 0], screen[k, 0, 1], screen[k, 0, 2], screen[k, 0, 3]
    m10, m11, m12, m13 = screen[k, 1, 0], screen[k, 1, 1], screen[k, 1, 2], screen[k, 1, 3]
    m20, m21, m22, m23 = screen[k, 2, 0], screen[k, 2, 1], screen[k, 2, 2], screen[k, 2, 3]
    start = surfaces.member_offsets[c]
    stop = surfaces.member_offsets[c + 1]
    px = surfaces.px[start:stop]
    py = surfaces.py[start:stop]
    pz = surfaces.pz[start:stop]
    limit = F(GUARD)
    is_clipped = I(0)
    for v in range(len(px)):
        x = px[v]
        y = py[v]
        z = pz[v]
        w = m20 * x + m21 * y + m22 * z + m23
        behind = w <= near
        inv = ONE / (ONE if behind else w)
        sx = (m00 * x + m01 * y + m02 * z + m03) * inv
        sy = (m10 * x + m11 * y + m12 * z + m13) * inv
        away = behind | (abs(sx) > limit) | (abs(sy) > limit)
        table[AWAY + v] = away
        is_clipped |= I(away)
        table[X + v] = I(np.floor((ZERO if away else sx) * SUB + HALF))
        table[Y + v] = I(np.floor((ZERO if away else sy) * SUB + HALF))
        table[W + v] = F(inv).view(I)
    return is_clipped != 0


@bare_kernel
def sift_triangles(table, surfaces, c, cull, is_clipped, band, reach):
    """List the triangles of cluster c that can touch a sample of the band; returns how many there are.

    cull   1 or -1 to leave out those that are seen from behind (-1: mirrored), else 0
    reach  least and largest x, least and largest y of the samples in a pixel
    """
    first = surfaces.triangle_offsets[c]
    count = surfaces.triangle_offsets[c + 1] - first
    corners_a = surfaces.local[0, first : first + count]
    corners_b = surfaces.local[1, first : first + count]
    corners_c = surfaces.local[2, first : first + count]
    for t in range(count):
        a = corners_a[t]
        b = corners_b[t]
        d = corners_c[t]
        table[AX + t] = table[X + a]
        table[AY + t] = table[Y + a]
        table[AZ + t] = table[W + a]
        table[BX + t] = table[X + b]
        table[BY + t] = table[Y + b]
        table[BZ + t] = table[W + b]
        table[CX + t] = table[X + d]
        table[CY + t] = table[Y + d]
        table[CZ + t] = table[W + d]
    up_x = I(255 - reach[1])
    down_x = I(reach[0])
    up_y = I(255 - reach[3])
    down_y = I(reach[2])
    last_column = I(band.width - 1)
    last_row = I(band.rows - 1)
    top = I(band.top)
    turn = I(cull)
    for t in range(count):
        ax = table[AX + t]
        ay = table[AY + t]
        bx = table[BX + t]
        by = table[BY + t]
        cx = table[CX + t]
        cy = table[CY + t]
        low = min(ay, min(by, cy))
        high = max(ay, max(by, cy))
        left = min(ax, min(bx, cx))
        right = max(ax, max(bx, cx))
        # Rows run downwards on screen, so faces that face the eye have a negative area.
        # It fits 32 bits where the triangle is small; of the others it is found when they are drawn.
        area = I(I(I(bx - ax) * I(cy - ay)) - I(I(cx - ax) * I(by - ay)))
        is_small = (I(right - left) <= SMALL) & (I(high - low) <= SMALL)
        # First and last pixel of which a sample can lie inside.
        x0 = max(I(I(left + up_x) >> 8), I(0))
        x1 = min(I(I(right - down_x) >> 8), last_column)
        y0 = max(I(I(I(low + up_y) >> 8) - top), I(0))
        y1 = min(I(I(I(high - down_y) >> 8) - top), last_row)
        is_away = (x1 < x0) | (y1 < y0)
        is_turned = (area == 0) | ((area > 0) & (turn > 0)) | ((area < 0) & (turn < 0))
        is_away |= is_small & is_turned
        table[SEEN + t] = I(0) if is_away else I(1)
        table[AREA + t] = area if is_small else I(0)
        table[LEFT + t] = x0
        table[RIGHT + t] = x1
        table[TOP + t] = y0
        table[FOOT + t] = y1
    for t in range(count):
        area = table[AREA + t]
        is_back = area < 0
        ax = table[AX + t]
        ay = table[AY + t]
        second_x = table[BX + t]
        second_y = table[BY + t]
        second_z = table[BZ + t]
        third_x = table[CX + t]
        third_y = table[CY + t]
        third_z = table[CZ + t]
        bx = third_x if is_back else second_x
        by = third_y if is_back else second_y
        cx = second_x if is_back else third_x
        cy = second_y if is_back else third_y
        px = I(table[LEFT + t] << 8)
        py = I(I(table[TOP + t] + top) << 8)
        # The last bit decides for samples on an edge.
        ea_x = I(ay - by)
        ea_y = I(bx - ax)
        eb_x = I(by - cy)
        eb_y = I(cx - bx)
        ec_x = I(cy - ay)
        ec_y = I(ax - cx)
        table[EA_X + t] = ea_x
        table[EA_Y + t] = ea_y
        table[EB_X + t] = eb_x
        table[EB_Y + t] = eb_y
        table[EC_X + t] = ec_x
        table[EC_Y + t] = ec_y
        table[EA + t] = I(I(ea_x * I(px - ax)) + I(ea_y * I(py - ay))) - owns(ea_x, ea_y)
        table[EB + t] = I(I(eb_x * I(px - bx)) + I(eb_y * I(py - by))) - owns(eb_x, eb_y)
        table[EC + t] = I(I(ec_x * I(px - cx)) + I(ec_y * I(py - cy))) - owns(ec_x, ec_y)
        az = I(table[AZ + t]).view(F)
        bz = I(third_z if is_back else second_z).view(F)
        cz = I(second_z if is_back else third_z).view(F)
        inv = ONE / F(abs(area))
        z_x = ((bz - az) * F(ec_x) + (cz - az) * F(ea_x)) * inv
        z_y = ((cz - az) * F(ea_y) + (bz - az) * F(ec_y)) * inv
        z = az + z_x * F(I(px - ax)) + z_y * F(I(py - ay))
        table[Z + t] = F(z).view(I)
        table[Z_X + t] = F(z_x).view(I)
        table[Z_Y + t] = F(z_y).view(I)
    kept = 0
    for t in range(count):
        table[KEPT + kept] = t
        kept += is_clipped | table[SEEN + t]
    return kept
