"""What triangles of a solid become that was made of others: what their corners carry, and which of them are one point.

A corner c is the beginning of an edge to the corner after it in its triangle.
"""

import numpy as np

from ..compile import exact_kernel, frozen
from ..threads import in_slices


@exact_kernel
def _blend(at, rows, triangles, points, normals, is_inner, start, stop, shares, out):
    """Shares of a source triangle's corners in each corner that lies within it, and the normals that follow."""
    has_normals = len(normals) > 0
    for n in range(start, stop):
        row = rows[n]
        a, b, c = triangles[n, 0], triangles[n, 1], triangles[n, 2]
        ux, uy, uz = points[b, 0] - points[a, 0], points[b, 1] - points[a, 1], points[b, 2] - points[a, 2]
        vx, vy, vz = points[c, 0] - points[a, 0], points[c, 1] - points[a, 1], points[c, 2] - points[a, 2]
        uu, uv, vv = ux * ux + uy * uy + uz * uz, ux * vx + uy * vy + uz * vz, vx * vx + vy * vy + vz * vz
        det = max(uu * vv - uv * uv, 1e-30)
        for corner in range(3):
            k = 3 * row + corner
            px, py, pz = at[k, 0] - points[a, 0], at[k, 1] - points[a, 1], at[k, 2] - points[a, 2]
            pu, pv = px * ux + py * uy + pz * uz, px * vx + py * vy + pz * vz
            second, third = (vv * pu - uv * pv) / det, (uu * pv - uv * pu) / det
            first = min(max(1 - second - third, 0.0), 1.0)
            second, third = min(max(second, 0.0), 1.0), min(max(third, 0.0), 1.0)
            total = max(first + second + third, 1e-12)
            shares[k, 0], shares[k, 1], shares[k, 2] = first / total, second / total, third / total
            if not has_normals:
                continue
            x = y = z = 0.0
            for own in range(3):
                share = shares[k, own]
                point = triangles[n, own]
                x += share * normals[point, 0]
                y += share * normals[point, 1]
                z += share * normals[point, 2]
            length = np.sqrt(x * x + y * y + z * z)
            if length < 1e-12:
                continue
            # What a solid lost lies inside the other one: it is seen from there.
            if is_inner and x * out[k, 0] + y * out[k, 1] + z * out[k, 2] < 0:
                length = -length
            out[k, 0], out[k, 1], out[k, 2] = x / length, y / length, z / length


def blend(at, rows, triangles, points, normals, is_inner: bool, shares, out):
    """Write the shares of source triangles' corners in those of result triangles, and their normals, for some of these.

    at         (3T, 3) float64 places of all corners
    rows       (N,) which of the T triangles, and `triangles` (N, 3) the points of the source's that each lies within
    points     (V, 3) of the source; normals (V, 3), or (0, 3) where its faces are flat
    shares     (3T, 3) and `out` (3T, 3) normals, of which those of these triangles are written
    """
    arrays = (
        frozen(at, np.float64), frozen(rows, np.int64), frozen(triangles, np.int64),
        frozen(points, np.float64), frozen(normals, np.float64), is_inner,
    )  # fmt: skip
    in_slices(lambda a, b: _blend(*arrays, a, b, shares, out), len(rows), 4096)


@exact_kernel
def _face_normals(points, triangles, start, stop, out):
    """The normal of each triangle at its three corners; none where it has no area."""
    for n in range(start, stop):
        a, b, c = triangles[n, 0], triangles[n, 1], triangles[n, 2]
        ux, uy, uz = points[b, 0] - points[a, 0], points[b, 1] - points[a, 1], points[b, 2] - points[a, 2]
        vx, vy, vz = points[c, 0] - points[a, 0], points[c, 1] - points[a, 1], points[c, 2] - points[a, 2]
        x, y, z = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
        length = np.sqrt(x * x + y * y + z * z)
        scale = 1 / length if length > 1e-12 else 0.0
        for k in range(3 * n, 3 * n + 3):
            out[k, 0], out[k, 1], out[k, 2] = x * scale, y * scale, z * scale


def face_normals(points, triangles) -> np.ndarray:
    """Return the normals (3T, 3) float64 that triangles (T, 3) have at their corners where they are flat."""
    out = np.empty((3 * len(triangles), 3))
    arrays = frozen(points, np.float64), frozen(triangles, np.int64)
    in_slices(lambda a, b: _face_normals(*arrays, a, b, out), len(triangles), 4096)
    return out


@exact_kernel
def _corners_mixed(shares, rows, corners, values, start, stop, out):
    for n in range(start, stop):
        row = rows[n]
        a, b, c = corners[n, 0], corners[n, 1], corners[n, 2]
        for k in range(3 * row, 3 * row + 3):
            for column in range(values.shape[1]):
                out[k, column] = (
                    shares[k, 0] * values[a, column]
                    + shares[k, 1] * values[b, column]
                    + shares[k, 2] * values[c, column]
                )


def corners_mixed(shares, rows, corners, values) -> np.ndarray:
    """Return what corners carry of a source's: values (3T, K) float32, zeros but for the corners of some triangles.

    shares   (3T, 3) from `blend`
    rows     (N,) which triangles, and `corners` (N, 3) the corners of the source's that each lies within
    values   (C, K) of the source's corners
    """
    out = np.zeros((len(shares), values.shape[1]), np.float32)
    arrays = shares, frozen(rows, np.int64), frozen(corners, np.int64), frozen(values, np.float32)
    in_slices(lambda a, b: _corners_mixed(*arrays, a, b, out), len(rows), 4096)
    return out


@exact_kernel
def _twins(corners, firsts, listed, out):
    """For each edge the one that runs the other way, or -1; of several the first."""
    count = len(corners)
    for c in range(count):
        firsts[corners[c] + 1] += 1
    for v in range(1, len(firsts)):
        firsts[v] += firsts[v - 1]
    for c in range(count - 1, -1, -1):
        # From behind, so that what is listed of a place stands in order.
        end = corners[c] + 1
        firsts[end] -= 1
        listed[firsts[end]] = c
    for c in range(count):
        following = c - c % 3 + (c + 1) % 3
        begin, end = corners[c], corners[following]
        out[c] = -1
        stop = firsts[end + 2] if end + 2 < len(firsts) else count
        for n in range(firsts[end + 1], stop):
            other = listed[n]
            if corners[other - other % 3 + (other + 1) % 3] == begin:
                out[c] = other
                break


@exact_kernel
def _root(parents, c):
    while parents[c] != c:
        parents[c] = parents[parents[c]]
        c = parents[c]
    return c


@exact_kernel
def _group(corners, twins, normals, inner, alike, parents, numbers, firsts, smooth):
    """Corners in one place are one point where two triangles share an edge over which normals go on smoothly."""
    count = len(corners)
    for c in range(count):
        parents[c] = c
    for c in range(count):
        twin = twins[c]
        smooth[c] = False
        if twin < 0 or inner[c // 3] != inner[twin // 3]:
            continue
        following, other = c - c % 3 + (c + 1) % 3, twin - twin % 3 + (twin + 1) % 3
        here = normals[c, 0] * normals[other, 0] + normals[c, 1] * normals[other, 1] + normals[c, 2] * normals[other, 2]
        there = (
            normals[following, 0] * normals[twin, 0]
            + normals[following, 1] * normals[twin, 1]
            + normals[following, 2] * normals[twin, 2]
        )
        if here > alike and there > alike:
            smooth[c] = True
            for one, two in ((c, other), (following, twin)):
                a, b = _root(parents, one), _root(parents, two)
                if a != b:
                    parents[max(a, b)] = min(a, b)
    # The root of a group is its first corner, so that groups are numbered in their order.
    made = 0
    for c in range(count):
        root = _root(parents, c)
        if root == c:
            numbers[c] = made
            firsts[made] = c
            made += 1
        else:
            numbers[c] = numbers[root]
    return made


@exact_kernel
def _seen(twins, smooth, inner, groups, seen):
    """Which edges are there to see: sharp ones, and from one side those between two groups that are no cut."""
    for c in range(len(twins)):
        twin = twins[c]
        seen[c] = not smooth[c]
        if smooth[c] and c < twin and not inner[c // 3]:
            seen[c] = groups[c // 3] != groups[twin // 3]


def seen_edges(numbers, twins, smooth, inner, groups):
    """Return which edges are there to see, and their ends: the corners (E,) that they begin at, and points (E, 2).

    groups  (T,) of triangles: those of one face have no edge between them to see
    """
    seen = np.empty(len(twins), bool)
    _seen(twins, smooth, frozen(inner, bool), frozen(groups, np.int64), seen)
    begins = np.flatnonzero(seen)
    return begins, np.stack([numbers[begins], numbers[begins - begins % 3 + (begins + 1) % 3]], axis=1)


@exact_kernel
def _seams(corners, twins, smooth, numbers, out, sizes, arcs, places):
    """Faces without area along sharp edges: (S, 4) points, how many of them, and the steps around their ends."""
    made = steps = 0
    for c in range(len(corners)):
        twin = twins[c]
        if twin < 0 or smooth[c] or c >= twin:
            continue
        following, other = c - c % 3 + (c + 1) % 3, twin - twin % 3 + (twin + 1) % 3
        a, b, other_b, other_a = numbers[c], numbers[following], numbers[twin], numbers[other]
        if a == other_a and b == other_b:
            continue
        out[made, 0], out[made, 1], out[made, 2], out[made, 3] = b, a, other_a, other_b
        sizes[made] = 4
        if a == other_a:
            out[made, 2], sizes[made] = other_b, 3
        elif b == other_b:
            sizes[made] = 3
        made += 1
        if a != other_a:
            places[steps], arcs[steps, 0], arcs[steps, 1] = corners[c], a, other_a
            steps += 1
        if b != other_b:
            places[steps], arcs[steps, 0], arcs[steps, 1] = corners[following], other_b, b
            steps += 1
    return made, steps


@exact_kernel
def _rings(arcs, places, used, out, sizes):
    """Faces without area where several seams meet: closed ways along steps (N, 2) of one place, in its order."""
    count = len(arcs)
    made = filled = begin = 0
    while begin < count:
        end = begin
        while end < count and places[end] == places[begin]:
            end += 1
        for first in range(begin, end):
            if used[first]:
                continue
            used[first] = True
            start, here, length = arcs[first, 0], arcs[first, 1], 1
            out[filled] = start
            while here != start:
                out[filled + length] = here
                length += 1
                onwards = -1
                for n in range(begin, end):
                    if not used[n] and arcs[n, 0] == here:
                        onwards = n
                        break
                if onwards < 0:
                    break
                used[onwards] = True
                here = arcs[onwards, 1]
            if length > 2:
                for k in range(length // 2):
                    out[filled + k], out[filled + length - 1 - k] = out[filled + length - 1 - k], out[filled + k]
                sizes[made] = length
                filled += length
                made += 1
        begin = end
    return made, filled


def points_of(triangles, normals, inner, alike: float):
    """Return which new point each corner is, the first corner of each point, which edges go on smoothly, and twins.

    triangles  (T, 3) places, normals (3T, 3) and inner (T,) bool of their corners and faces
    alike      cosine of the angle up to which normals are those of one smooth surface
    Returns    (3T,) numbers, (P,) corners, (3T,) bool, (3T,) corners or -1
    """
    corners = frozen(triangles.reshape(-1), np.int64)
    count, places = len(corners), int(corners.max(initial=-1)) + 1
    twins, numbers, firsts = np.empty(count, np.int64), np.empty(count, np.int64), np.empty(count, np.int64)
    smooth = np.empty(count, bool)
    _twins(corners, np.zeros(places + 2, np.int64), np.empty(count, np.int64), twins)
    made = _group(
        corners, twins, frozen(normals, np.float64), frozen(inner, bool), alike, np.empty(count, np.int64), numbers,
        firsts, smooth,
    )  # fmt: skip
    return numbers, firsts[:made], smooth, twins


def seams_of(triangles, twins, smooth, numbers) -> tuple[np.ndarray, np.ndarray]:
    """Return faces without area that sew points in one place together: their corners in a row, and sizes."""
    corners = frozen(triangles.reshape(-1), np.int64)
    most = len(corners) // 2 + 1
    quads, sizes = np.empty((most, 4), np.int64), np.empty(most, np.int64)
    arcs, places = np.empty((2 * most, 2), np.int64), np.empty(2 * most, np.int64)
    made, steps = _seams(corners, twins, smooth, numbers, quads, sizes, arcs, places)
    order = np.argsort(places[:steps], kind="stable")
    rings, ring_sizes = np.empty(steps + 1, np.int64), np.empty(steps + 1, np.int64)
    ring_count, filled = _rings(arcs[order], places[order], np.zeros(steps, bool), rings, ring_sizes)
    is_corner = np.arange(4) < sizes[:made, None]
    return (
        np.concatenate([quads[:made][is_corner], rings[:filled]]),
        np.concatenate([sizes[:made], ring_sizes[:ring_count]]),
    )
