"""Which (instance, cluster) pairs can be seen in which band of rows, and how near they come."""

import numpy as np

from ..compile import bare_kernel, kernel
from ..types import ONE, ZERO, F, I

BAND_ROWS = 32
ANY_NEAR = F(np.inf)


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


@bare_kernel
def outline(screen, balls, k, c, near):
    """Return a box on the screen that holds instance k's ball c: left, right, top, foot, and the largest 1/w in it.

    The last is infinite where the ball comes to the eye's plane (the box is then without meaning), and 0 where it
    lies wholly behind it.
    """
    x, y, z, radius = balls[c, 0], balls[c, 1], balls[c, 2], balls[c, 3]
    m = screen[k]
    w = m[2, 0] * x + m[2, 1] * y + m[2, 2] * z + m[2, 3]
    deep = radius * np.sqrt(m[2, 0] * m[2, 0] + m[2, 1] * m[2, 1] + m[2, 2] * m[2, 2])
    if w + deep <= near:
        return ZERO, ZERO, ZERO, ZERO, ZERO
    if w - deep <= near:
        return ZERO, ZERO, ZERO, ZERO, ANY_NEAR
    a = ONE / (w - deep)
    b = ONE / (w + deep)
    sx = m[0, 0] * x + m[0, 1] * y + m[0, 2] * z + m[0, 3]
    sy = m[1, 0] * x + m[1, 1] * y + m[1, 2] * z + m[1, 3]
    wide = radius * np.sqrt(m[0, 0] * m[0, 0] + m[0, 1] * m[0, 1] + m[0, 2] * m[0, 2])
    tall = radius * np.sqrt(m[1, 0] * m[1, 0] + m[1, 1] * m[1, 1] + m[1, 2] * m[1, 2])
    left = min((sx - wide) * a, (sx - wide) * b)
    right = max((sx + wide) * a, (sx + wide) * b)
    top = min((sy - tall) * a, (sy - tall) * b)
    foot = max((sy + tall) * a, (sy + tall) * b)
    return left, right, top, foot, a


@kernel
def bin_clusters(start, stop, surfaces, eye, near, size, lows, highs, nears):
    """Find the first and last band that pairs start..stop can touch (last < first if none).

    size   width and height of the picture
    nears  the largest 1/w that a pair can have
    """
    pair_instance, pair_cluster, culls = surfaces.pair_instance, surfaces.pair_cluster, surfaces.culls
    screen, world, cofactors = surfaces.screen, surfaces.world, surfaces.cofactors
    balls, cones = surfaces.balls, surfaces.cones
    width = F(size[0])
    height = F(size[1])
    for p in range(start, stop):
        k = pair_instance[p]
        c = pair_cluster[p]
        lows[p] = 1
        highs[p] = 0
        left, right, top, foot, nearest = outline(screen, balls, k, c, near)
        nears[p] = nearest
        if nearest == ZERO:
            continue
        first = 0
        last = (size[1] - 1) // BAND_ROWS
        if nearest < ANY_NEAR:
            if right < ZERO or left > width or foot < ZERO or top > height:
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
            ex = balls[c, 0] - (f[0, 0] * dx + f[1, 0] * dy + f[2, 0] * dz) / det
            ey = balls[c, 1] - (f[0, 1] * dx + f[1, 1] * dy + f[2, 1] * dz) / det
            ez = balls[c, 2] - (f[0, 2] * dx + f[1, 2] * dy + f[2, 2] * dz) / det
            far = np.sqrt(ex * ex + ey * ey + ez * ez)
            if ex * cones[c, 0] + ey * cones[c, 1] + ez * cones[c, 2] > cones[c, 3] * far + balls[c, 3]:
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
