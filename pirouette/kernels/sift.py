"""A cluster's triangles on the screen, and which of them can touch a sample of a band, in loops that vectorise.

All numbers stand in one flat table of int32, each in a stretch of its own, and the stretches lie a constant PITCH
apart: so the compiler sees that they never overlap.
"""

import numpy as np

from .clip import GUARD
from .compile import bare_kernel

F = np.float32
I = np.int32  # noqa: E741
ZERO = F(0.0)
ONE = F(1.0)
HALF = F(0.5)
SUB = F(256.0)
SMALL = 32 * 256  # up to this size a triangle's edges fit 32 bits
PITCH = 272  # members of a cluster, of which there are at most 255, and a little more
# Of the members: the place in fixed-point, the bits of 1/w, and whether the place has no meaning, so that what stands
# there must be clipped. Of the triangles: corners, area where it is small (else 0), whether it can be seen, and the
# list of those that can.
X, Y, W, AWAY, AX, AY, BX, BY, CX, CY, AREA, SEEN, KEPT, TABLE_SIZE = (row * PITCH for row in range(14))


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
    local = surfaces.local
    for t in range(count):
        a = local[0, first + t]
        b = local[1, first + t]
        d = local[2, first + t]
        table[AX + t] = table[X + a]
        table[AY + t] = table[Y + a]
        table[BX + t] = table[X + b]
        table[BY + t] = table[Y + b]
        table[CX + t] = table[X + d]
        table[CY + t] = table[Y + d]
    # The least and the largest sample of the band, and how far a pixel's samples lie from its corner.
    from_x = I(reach[0])
    to_x = I(((band.width - 1) << 8) + reach[1])
    from_y = I((band.top << 8) + reach[2])
    to_y = I(((band.top + band.rows - 1) << 8) + reach[3])
    up_x = I(255 - reach[1])
    down_x = I(reach[0])
    up_y = I(255 - reach[3])
    down_y = I(reach[2])
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
        is_away = (high < from_y) | (low > to_y) | (right < from_x) | (left > to_x)
        is_away |= I(left + up_x) >> 8 > I(right - down_x) >> 8
        is_away |= I(low + up_y) >> 8 > I(high - down_y) >> 8
        is_turned = (area == 0) | ((area > 0) & (turn > 0)) | ((area < 0) & (turn < 0))
        is_away |= is_small & is_turned
        table[SEEN + t] = I(0) if is_away else I(1)
        table[AREA + t] = area if is_small else I(0)
    kept = 0
    for t in range(count):
        table[KEPT + kept] = t
        kept += is_clipped | table[SEEN + t]
    return kept
