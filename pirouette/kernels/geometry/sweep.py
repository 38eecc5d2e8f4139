"""Sections swept along curves: frames that turn as little as can be, and rings that meet at bends without crossing.

Source  M. Bergou et al., "Discrete elastic rods", ACM Transactions on Graphics 27 (2008), for the frames: a side is
        carried from one straight stretch to the next by the smallest turn between them.
"""

import numpy as np

from ..compile import bare_kernel, exact_kernel, frozen, kernel
from ..threads import in_slices
from ..types import D, F

# Where a curve turns back so sharply that a mitre would be longer than this many radii, it is cut off.
MITRE = 4.0
SMALL = 1e-12


@exact_kernel
def _unit(x, y, z):
    length = np.sqrt(x * x + y * y + z * z)
    if length < SMALL:
        return 0.0, 0.0, 0.0
    return x / length, y / length, z / length


@exact_kernel
def _first_side(points, start, stop, closed, dx, dy, dz):
    """A side of the first stretch that lies in the plane of a flat curve; of a straight one, any across it."""
    nx = ny = nz = 0.0
    for i in range(start, stop - 1 + closed):
        j = i + 1 if i + 1 < stop else start
        ax, ay, az = points[i, 0] - points[start, 0], points[i, 1] - points[start, 1], points[i, 2] - points[start, 2]
        bx, by, bz = points[j, 0] - points[start, 0], points[j, 1] - points[start, 1], points[j, 2] - points[start, 2]
        nx += ay * bz - az * by
        ny += az * bx - ax * bz
        nz += ax * by - ay * bx
    extent = 0.0
    for i in range(start, stop):
        for k in range(3):
            extent = max(extent, abs(points[i, k] - points[start, k]))
    if np.sqrt(nx * nx + ny * ny + nz * nz) < 1e-4 * extent * extent:
        # Straight: the z axis is its plane's normal, or the y axis for one that runs along z.
        nx, ny, nz = (0.0, 0.0, 1.0) if abs(dz) < 0.9 else (0.0, 1.0, 0.0)
    sx, sy, sz = _unit(ny * dz - nz * dy, nz * dx - nx * dz, nx * dy - ny * dx)
    if sx == 0 and sy == 0 and sz == 0:
        nx, ny, nz = (0.0, 1.0, 0.0) if abs(dy) < 0.9 else (1.0, 0.0, 0.0)
        sx, sy, sz = _unit(ny * dz - nz * dy, nz * dx - nx * dz, nx * dy - ny * dx)
    return sx, sy, sz


@exact_kernel
def _carried(sx, sy, sz, ax, ay, az, bx, by, bz):
    """A side (sx…) turned as a way (ax…) turns by the smallest angle to another (bx…); unit vectors."""
    cos = ax * bx + ay * by + az * bz
    if cos < -1 + 1e-9:
        # Straight back: about the side itself, which then stays.
        return sx, sy, sz
    cx, cy, cz = ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx
    along = (cx * sx + cy * sy + cz * sz) / (1 + cos)
    x = cos * sx + cy * sz - cz * sy + cx * along
    y = cos * sy + cz * sx - cx * sz + cy * along
    z = cos * sz + cx * sy - cy * sx + cz * along
    # Kept at a right angle, so that nothing adds up over thousands of turns.
    off = x * bx + y * by + z * bz
    return _unit(x - off * bx, y - off * by, z - off * bz)


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
def _frames(points, offsets, closed, first, last, ways, sides, planes, rolls):
    """For curves first..last: at each point the way onwards, a side of it, and the normal of the plane of its ring."""
    for curve in range(first, last):
        start, stop = offsets[curve], offsets[curve + 1]
        is_closed = closed[curve]
        length = 0.0
        for i in range(start, stop):
            j = i + 1
            if j == stop:
                if not is_closed:
                    for k in range(3):
                        ways[i, k] = ways[i - 1, k]
                    break
                j = start
            x, y, z = points[j, 0] - points[i, 0], points[j, 1] - points[i, 1], points[j, 2] - points[i, 2]
            ways[i, 0], ways[i, 1], ways[i, 2] = _unit(x, y, z)
            rolls[i] = length
            length += np.sqrt(x * x + y * y + z * z)
        sx, sy, sz = _first_side(points, start, stop, is_closed, ways[start, 0], ways[start, 1], ways[start, 2])
        sides[start, 0], sides[start, 1], sides[start, 2] = sx, sy, sz
        for i in range(start, stop):
            before = i - 1 if i > start else (stop - 1 if is_closed else start)
            ax, ay, az = ways[before, 0], ways[before, 1], ways[before, 2]
            bx, by, bz = ways[i, 0], ways[i, 1], ways[i, 2]
            if i > start:
                sx, sy, sz = _carried(sx, sy, sz, ax, ay, az, bx, by, bz)
                sides[i, 0], sides[i, 1], sides[i, 2] = sx, sy, sz
            px, py, pz = _unit(ax + bx, ay + by, az + bz)
            if px * bx + py * by + pz * bz < SMALL:
                px, py, pz = bx, by, bz
            planes[i, 0], planes[i, 1], planes[i, 2] = px, py, pz
        rest = 0.0
        if is_closed:
            dx, dy, dz = ways[start, 0], ways[start, 1], ways[start, 2]
            sx, sy, sz = _carried(sx, sy, sz, ways[stop - 1, 0], ways[stop - 1, 1], ways[stop - 1, 2], dx, dy, dz)
            ux, uy, uz = sides[start, 0], sides[start, 1], sides[start, 2]
            across = (sy * uz - sz * uy) * dx + (sz * ux - sx * uz) * dy + (sx * uy - sy * ux) * dz
            rest = np.arctan2(across, sx * ux + sy * uy + sz * uz)
        for i in range(start, stop):
            rolls[i] = rest * rolls[i] / max(length, SMALL) if i < stop - 1 or is_closed else 0.0


def frames(points, offsets, closed):
    """Return for the points of curves, one curve after the other, what their rings need.

    points   (P, 3) float64, no two neighbours in one place; at least two to a curve
    offsets  (L + 1,) int64
    closed   (L,) bool
    Returns  ways (P, 3) unit vectors to the next point, sides (P, 3) at right angles to these, planes (P, 3) normals
             between the ways before and after, and rolls (P,) radians about the ways that bring a closed curve's last
             side back to its first
    """
    points, closed = np.ascontiguousarray(points, D), np.ascontiguousarray(closed, bool)
    offsets = np.ascontiguousarray(offsets, np.int64)
    ways, sides, planes = (np.empty((len(points), 3)) for _ in range(3))
    rolls = np.empty(len(points))
    in_slices(lambda a, b: _frames(points, offsets, closed, a, b, ways, sides, planes, rolls), len(closed), 64)
    return ways, sides, planes, rolls


@bare_kernel
def _ring(i, slot, found, radii, section, held):
    """From a point to its ring, in the plane between the stretches that meet there, into a slot of (3, 3, K)."""
    ways, sides, planes, rolls = found
    dx, dy, dz = ways[i, 0], ways[i, 1], ways[i, 2]
    sx, sy, sz = sides[i, 0], sides[i, 1], sides[i, 2]
    tx, ty, tz = dy * sz - dz * sy, dz * sx - dx * sz, dx * sy - dy * sx
    px, py, pz = planes[i, 0], planes[i, 1], planes[i, 2]
    facing = max(px * dx + py * dy + pz * dz, 1.0 / MITRE)
    cos, sin = radii[i] * np.cos(rolls[i]), radii[i] * np.sin(rolls[i])
    for k in range(section.shape[1]):
        a = section[0, k] * cos - section[1, k] * sin
        b = section[0, k] * sin + section[1, k] * cos
        x, y, z = a * sx + b * tx, a * sy + b * ty, a * sz + b * tz
        slide = (x * px + y * py + z * pz) / facing
        held[slot, 0, k] = x - slide * dx
        held[slot, 1, k] = y - slide * dy
        held[slot, 2, k] = z - slide * dz


@kernel
def _rings(points, before, after, found, radii, section, start, stop, out):
    """Rings of points start..stop: where two would cross, both end before, each by its share."""
    count = section.shape[1]
    held, reach = np.empty((3, 3, count)), np.empty(count)
    # Which points the three rings belong to that are at hand; mostly the next point's neighbours are among them.
    of = np.full(3, -1)
    last, this, following = 0, 1, 2
    for i in range(start, stop):
        last, this, following = this, following, last
        for slot, j in ((this, i), (last, before[i]), (following, after[i])):
            if j >= 0 and of[slot] != j:
                _ring(j, slot, found, radii, section, held)
                of[slot] = j
        for k in range(count):
            reach[k] = 1.0
        for slot, j in ((last, before[i]), (following, after[i])):
            if j < 0:
                continue
            x, y, z = points[j, 0] - points[i, 0], points[j, 1] - points[i, 1], points[j, 2] - points[i, 2]
            length = np.sqrt(x * x + y * y + z * z)
            x, y, z = x / length, y / length, z / length
            for k in range(count):
                mine = held[this, 0, k] * x + held[this, 1, k] * y + held[this, 2, k] * z
                other = held[slot, 0, k] * x + held[slot, 1, k] * y + held[slot, 2, k] * z
                taken = mine + max(-other, 0.0)
                reach[k] = min(reach[k], length / taken if mine > 0 and taken > length else 1.0)
        row = i * count
        for k in range(count):
            out[row + k, 0] = F(points[i, 0] + held[this, 0, k] * reach[k])
            out[row + k, 1] = F(points[i, 1] + held[this, 1, k] * reach[k])
            out[row + k, 2] = F(points[i, 2] + held[this, 2, k] * reach[k])


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
    found = tuple(frozen(array, D) for array in found)
    before, after = frozen(before, np.int64), frozen(after, np.int64)
    count = section.shape[1]
    out = np.empty((len(points) * count + more, 3), np.float32)
    size = max(64, (1 << 15) // max(count, 1))
    in_slices(lambda a, b: _rings(points, before, after, found, radii, section, a, b, out), len(points), size)
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
