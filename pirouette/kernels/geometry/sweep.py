"""Sections swept along curves: frames that turn as little as can be, and rings that meet at bends without crossing.

Source  M. Bergou et al., "Discrete elastic rods", ACM Transactions on Graphics 27 (2008), for the frames: a side is
        carried from one straight stretch to the next by the smallest turn between them.
"""

import numpy as np

from ..compile import bare_kernel, exact_bare_kernel, exact_kernel, frozen, kernel
from ..threads import in_slices
from ..types import D, F

# Where a curve turns back so sharply that a mitre would be longer than this many radii, it is cut off.
MITRE = 4.0
SMALL = 1e-12
LEANING = 1e-6


@exact_bare_kernel
def _unit(x, y, z):
    length = np.sqrt(x * x + y * y + z * z)
    scale = 1 / length if length >= SMALL else 0.0
    return x * scale, y * scale, z * scale


@exact_kernel
def _first_side(points, start, stop, dx, dy, dz):
    """A side of the first stretch that lies in the plane of a flat curve; of a straight one, any across it."""
    nx = ny = nz = extent = 0.0
    fx, fy, fz = points[start, 0], points[start, 1], points[start, 2]
    ax = ay = az = 0.0
    # From the first point nothing leads anywhere, so that a closed curve's way back to it adds nothing.
    for i in range(start + 1, stop):
        bx, by, bz = points[i, 0] - fx, points[i, 1] - fy, points[i, 2] - fz
        nx += ay * bz - az * by
        ny += az * bx - ax * bz
        nz += ax * by - ay * bx
        extent = max(extent, abs(bx), abs(by), abs(bz))
        ax, ay, az = bx, by, bz
    if np.sqrt(nx * nx + ny * ny + nz * nz) < 1e-4 * extent * extent:
        # Straight: the z axis is its plane's normal, or the y axis for one that runs along z.
        nx, ny, nz = (0.0, 0.0, 1.0) if abs(dz) < 0.9 else (0.0, 1.0, 0.0)
    sx, sy, sz = _unit(ny * dz - nz * dy, nz * dx - nx * dz, nx * dy - ny * dx)
    if sx == 0 and sy == 0 and sz == 0:
        nx, ny, nz = (0.0, 1.0, 0.0) if abs(dy) < 0.9 else (1.0, 0.0, 0.0)
        sx, sy, sz = _unit(ny * dz - nz * dy, nz * dx - nx * dz, nx * dy - ny * dx)
    return sx, sy, sz


@exact_bare_kernel
def _carried(sx, sy, sz, ax, ay, az, bx, by, bz):
    """A side (sx…) turned as a way (ax…) turns by the smallest angle to another (bx…); unit vectors.

    What rounding adds up to over hundreds of thousands of turns is far less than float32 holds.
    """
    cos = ax * bx + ay * by + az * bz
    if cos < -1 + 1e-9:
        # Straight back: about the side itself, which then stays.
        return sx, sy, sz
    cx, cy, cz = ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx
    along = (cx * sx + cy * sy + cz * sz) / (1 + cos)
    x = cos * sx + cy * sz - cz * sy + cx * along
    y = cos * sy + cz * sx - cx * sz + cy * along
    z = cos * sz + cx * sy - cy * sx + cz * along
    return x, y, z


@exact_kernel
def _apart_points(points, offsets, closed, near, first, last, apart, left):
    for curve in range(first, last):
        start, stop = offsets[curve], offsets[curve + 1]
        count = 0
        for i in range(start, stop):
            j = i - 1
            is_apart = i == start
            for k in range(3):
                is_apart = is_apart or abs(D(points[i, k]) - D(points[j, k])) > near
            apart[i] = is_apart
            count += is_apart
        if closed[curve] and stop - start > 1 and apart[stop - 1]:
            meets = True
            for k in range(3):
                meets = meets and abs(D(points[stop - 1, k]) - D(points[start, k])) <= near
            apart[stop - 1] = not meets
            count -= meets
        left[curve] = count


def apart_points(points, offsets, closed, near: float):
    """Return (P,) bool: which points of curves are farther than `near`, along any axis, from the one before in their
    curve; of closed ones the last also from the first. And (L,) int64: how many such points each curve has.

    points   (P, 3) float32, one curve after the other
    offsets  (L + 1,) where each curve's begin
    closed   (L,) bool
    """
    points, offsets, closed = frozen(points), frozen(offsets, np.int32), frozen(closed, np.bool_)
    apart, left = np.empty(len(points), np.bool_), np.empty(len(closed), np.int64)
    in_slices(lambda a, b: _apart_points(points, offsets, closed, near, a, b, apart, left), len(closed), 64)
    return apart, left


@exact_kernel
def _frames(points, offsets, closed, first, last, ways, sides, planes, rolls, steps, along):
    """For curves first..last: at each point the way onwards, a side of it, and the normal of the plane of its ring."""
    for curve in range(first, last):
        start, stop = offsets[curve], offsets[curve + 1]
        is_closed = closed[curve]
        length = 0.0
        for i in range(start, stop):
            j = i + 1
            rolls[i] = length
            if j == stop:
                if not is_closed:
                    ways[i, 0], ways[i, 1], ways[i, 2] = ways[i - 1, 0], ways[i - 1, 1], ways[i - 1, 2]
                    steps[i] = 0.0
                    break
                j = start
            x, y, z = points[j, 0] - points[i, 0], points[j, 1] - points[i, 1], points[j, 2] - points[i, 2]
            step = np.sqrt(x * x + y * y + z * z)
            scale = 1 / step if step >= SMALL else 0.0
            ways[i, 0], ways[i, 1], ways[i, 2] = x * scale, y * scale, z * scale
            steps[i] = step
            length += step
        sx, sy, sz = _first_side(points, start, stop, ways[start, 0], ways[start, 1], ways[start, 2])
        sides[start, 0], sides[start, 1], sides[start, 2] = sx, sy, sz
        scale = 1 / max(length, SMALL)
        ax, ay, az = ways[start, 0], ways[start, 1], ways[start, 2]
        if is_closed:
            ax, ay, az = ways[stop - 1, 0], ways[stop - 1, 1], ways[stop - 1, 2]
        for i in range(start, stop):
            bx, by, bz = ways[i, 0], ways[i, 1], ways[i, 2]
            if i > start:
                sx, sy, sz = _carried(sx, sy, sz, ax, ay, az, bx, by, bz)
                sides[i, 0], sides[i, 1], sides[i, 2] = sx, sy, sz
            px, py, pz = _unit(ax + bx, ay + by, az + bz)
            if px * bx + py * by + pz * bz < SMALL:
                px, py, pz = bx, by, bz
            planes[i, 0], planes[i, 1], planes[i, 2] = px, py, pz
            along[i] = rolls[i] * scale
            ax, ay, az = bx, by, bz
        if not is_closed:
            rolls[start:stop] = 0.0
            continue
        dx, dy, dz = ways[start, 0], ways[start, 1], ways[start, 2]
        sx, sy, sz = _carried(sx, sy, sz, ax, ay, az, dx, dy, dz)
        ux, uy, uz = sides[start, 0], sides[start, 1], sides[start, 2]
        across = (sy * uz - sz * uy) * dx + (sz * ux - sx * uz) * dy + (sx * uy - sy * ux) * dz
        rest = np.arctan2(across, sx * ux + sy * uy + sz * uz)
        for i in range(start, stop):
            rolls[i] *= rest * scale


def frames(points, offsets, closed):
    """Return for the points of curves, one curve after the other, what their rings need.

    points   (P, 3) float64, no two neighbours in one place; at least two to a curve
    offsets  (L + 1,) int64
    closed   (L,) bool
    Returns  ways (P, 3) unit vectors to the next point, sides (P, 3) at right angles to these, planes (P, 3) normals
             between the ways before and after, rolls (P,) radians about the ways that bring a closed curve's last
             side back to its first, steps (P,) as far as the next point is; and (P,) float32 how far along its curve
             each point is, as `shares` tells
    """
    points, closed = frozen(points, D), frozen(closed, np.bool_)
    offsets = frozen(offsets, np.int64)
    ways, sides, planes = (np.empty((len(points), 3)) for _ in range(3))
    rolls, steps, along = np.empty(len(points)), np.empty(len(points)), np.empty(len(points), np.float32)
    found = ways, sides, planes, rolls, steps
    in_slices(lambda a, b: _frames(points, offsets, closed, a, b, *found, along), len(closed), 64)
    return found, along


@bare_kernel
def _axes(i, found, radii):
    """The two vectors that a section's places are told along in the plane of a point's ring."""
    ways, sides, planes, rolls, _ = found
    dx, dy, dz = ways[i, 0], ways[i, 1], ways[i, 2]
    sx, sy, sz = sides[i, 0], sides[i, 1], sides[i, 2]
    tx, ty, tz = dy * sz - dz * sy, dz * sx - dx * sz, dx * sy - dy * sx
    px, py, pz = planes[i, 0], planes[i, 1], planes[i, 2]
    scale = 1 / max(px * dx + py * dy + pz * dz, 1.0 / MITRE)
    cos, sin = radii[i], 0.0
    if rolls[i] != 0:
        cos, sin = radii[i] * np.cos(rolls[i]), radii[i] * np.sin(rolls[i])
    # Across the way, and then slid along it into the plane between the stretches that meet there.
    ux, uy, uz = cos * sx + sin * tx, cos * sy + sin * ty, cos * sz + sin * tz
    vx, vy, vz = cos * tx - sin * sx, cos * ty - sin * sy, cos * tz - sin * sz
    u, v = (ux * px + uy * py + uz * pz) * scale, (vx * px + vy * py + vz * pz) * scale
    return ux - u * dx, uy - u * dy, uz - u * dz, vx - v * dx, vy - v * dy, vz - v * dz


@bare_kernel
def _shorten(mine, other, x, y, z, length, section, most, is_shorter, reach):
    """How far a ring reaches (K,) where it would cross another that lies by a length along a way; whether it is less.

    mine, other  the axes of both
    most         how far a section's places are away from the curve at most
    """
    # How far towards each other the axes of both lead.
    mine_u, mine_v = mine[0] * x + mine[1] * y + mine[2] * z, mine[3] * x + mine[4] * y + mine[5] * z
    other_u, other_v = other[0] * x + other[1] * y + other[2] * z, other[3] * x + other[4] * y + other[5] * z
    furthest = mine_u * mine_u + mine_v * mine_v + other_u * other_u + other_v * other_v
    if 2 * furthest * most * most <= length * length:
        return is_shorter
    if not is_shorter:
        reach[:] = 1.0
    for k in range(len(reach)):
        leans = section[0, k] * mine_u + section[1, k] * mine_v
        taken = leans + max(-section[0, k] * other_u - section[1, k] * other_v, 0.0)
        # What lies on the axis of a bend does not lean over, whichever way its last digit goes.
        if leans > LEANING * length and taken > length:
            reach[k] = min(reach[k], length / taken)
    return True


@kernel
def _rings(points, before, after, found, radii, section, most, start, stop, out):
    """Rings of points start..stop: where two would cross, both end before, each by its share."""
    count = section.shape[1]
    ways, steps = found[0], found[4]
    reach = np.empty(count)
    # Mostly the next point's neighbours are at hand.
    last = this = following = _axes(start, found, radii)
    of_last = of_this = of_following = -1
    for i in range(start, stop):
        last, of_last, this, of_this = this, of_this, following, of_following
        if of_this != i:
            this, of_this = _axes(i, found, radii), i
        is_shorter = False
        j = before[i]
        if j >= 0:
            if of_last != j:
                last, of_last = _axes(j, found, radii), j
            is_shorter = _shorten(
                this, last, -ways[j, 0], -ways[j, 1], -ways[j, 2], steps[j], section, most, is_shorter, reach
            )
        j = after[i]
        if j >= 0:
            following, of_following = _axes(j, found, radii), j
            is_shorter = _shorten(
                this, following, ways[i, 0], ways[i, 1], ways[i, 2], steps[i], section, most, is_shorter, reach
            )
        row = i * count
        px, py, pz = points[i, 0], points[i, 1], points[i, 2]
        for k in range(count):
            a, b = section[0, k], section[1, k]
            if is_shorter:
                a, b = a * reach[k], b * reach[k]
            out[row + k, 0] = F(px + (a * this[0] + b * this[3]))
            out[row + k, 1] = F(py + (a * this[1] + b * this[4]))
            out[row + k, 2] = F(pz + (a * this[2] + b * this[5]))


def rings(points, before, after, found, radii, section, more: int = 0) -> np.ndarray:
    """Return (P * K + more, 3) float32: a section around each point of curves, ring by ring, and rows yet to be filled.

    A ring lies in the plane between the two stretches that meet there, so that both keep their width; where it would
    cross the ring beside it, both end where they meet, so that inner bends never cross themselves.

    before, after  (P,) the numbers of the points beside each, -1 at an end
    found          what frames returned, its rolls those that are wanted
    radii          (P,) half widths
    section        (K, 2) places across a curve, along its side and its third axis, 1 away from it at a half width
    """
    points, radii, section = frozen(points, D), frozen(radii, D), frozen(section.T, D)
    count, most = section.shape[1], float(np.sqrt((section**2).sum(axis=0)).max(initial=0))
    found = tuple(frozen(array, D) for array in found)
    before, after = frozen(before, np.int32), frozen(after, np.int32)
    out = np.empty((len(points) * count + more, 3), np.float32)
    size = max(64, (1 << 15) // max(count, 1))
    in_slices(lambda a, b: _rings(points, before, after, found, radii, section, most, a, b, out), len(points), size)
    return out


@exact_kernel
def _join_rings(here, after, ends, size, sides, across, start, stop, quads, u, rows):
    count = len(sides)
    for n in range(start, stop):
        i, j = here[n] * size, after[n] * size
        for side in range(count):
            face = n * count + side
            quads[face, 0] = i + sides[side, 0]
            quads[face, 1] = i + sides[side, 1]
            quads[face, 2] = j + sides[side, 1]
            quads[face, 3] = j + sides[side, 0]
            u[face, 0] = u[face, 3] = across[side, 0]
            u[face, 1] = u[face, 2] = across[side, 1]
            rows[face, 0] = rows[face, 1] = here[n]
            rows[face, 2] = rows[face, 3] = ends[n]


def joined_rings(here, after, ends, size: int, sides, across):
    """Return (R * K, 4) int32 faces between rings of points and the ones after them, and of their corners, 4 R K: how
    far around they lie, float32, and which point of the curve tells how far along, int32.

    here, after  (R,) the points whose rings are joined
    ends         (R,) which point tells of the corners at the ring after
    size         points of a ring
    sides        (K, 2) which points of a ring each side lies between
    across       (K, 2) how far around these lie
    """
    here, after, ends, sides = (frozen(array, np.int32) for array in (here, after, ends, sides))
    across, shape = frozen(across), (len(here) * len(sides), 4)
    quads, u, rows = np.empty(shape, np.int32), np.empty(shape, np.float32), np.empty(shape, np.int32)
    in_slices(lambda a, b: _join_rings(here, after, ends, size, sides, across, a, b, quads, u, rows), len(here), 4096)
    return quads, u.reshape(-1), rows.reshape(-1)


@exact_kernel
def _corner_places(u, v, rows, along, start, stop, out):
    for corner in range(start, stop):
        out[corner, 0] = u[corner]
        out[corner, 1] = along[rows[corner]] if corner < len(rows) else v[corner]


def corner_places(u, v, rows, along) -> np.ndarray:
    """Return (C, 2) float32 places of corners: u and v (C,), but for the first R how far `along` their points are.

    rows   (R,) int32 numbers of points
    along  (P,) of the points
    """
    u, v, rows, along = frozen(u), frozen(v), frozen(rows, np.int32), frozen(along)
    out = np.empty((len(u), 2), np.float32)
    in_slices(lambda a, b: _corner_places(u, v, rows, along, a, b, out), len(u), 1 << 16)
    return frozen(out)
