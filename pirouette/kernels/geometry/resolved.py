"""What triangles of a solid become that was made of others: what their corners carry, and which of them are one point.

A corner c is the beginning of an edge to the corner after it in its triangle.
"""

import numpy as np

from ..compile import exact_bare_kernel, exact_kernel, frozen
from ..threads import in_slices

# Triangles, or points, that a thread does at a time.
_SLICE = 4096


@exact_bare_kernel
def _shares(points, a, b, c, px, py, pz):
    """How much of each corner of a source's triangle there is in a place within it."""
    ux, uy, uz = points[b, 0] - points[a, 0], points[b, 1] - points[a, 1], points[b, 2] - points[a, 2]
    vx, vy, vz = points[c, 0] - points[a, 0], points[c, 1] - points[a, 1], points[c, 2] - points[a, 2]
    uu, uv, vv = ux * ux + uy * uy + uz * uz, ux * vx + uy * vy + uz * vz, vx * vx + vy * vy + vz * vz
    det = max(uu * vv - uv * uv, 1e-30)
    dx, dy, dz = px - points[a, 0], py - points[a, 1], pz - points[a, 2]
    du, dv = dx * ux + dy * uy + dz * uz, dx * vx + dy * vy + dz * vz
    second, third = (vv * du - uv * dv) / det, (uu * dv - uv * du) / det
    first = min(max(1 - second - third, 0.0), 1.0)
    second, third = min(max(second, 0.0), 1.0), min(max(third, 0.0), 1.0)
    total = max(first + second + third, 1e-12)
    return first / total, second / total, third / total


@exact_kernel
def _shares_at(points, triangles, corners, within, source_points, start, stop, out):
    for n in range(start, stop):
        place = triangles[corners[n] // 3, corners[n] % 3]
        out[n, 0], out[n, 1], out[n, 2] = _shares(
            source_points,
            within[n, 0],
            within[n, 1],
            within[n, 2],
            points[place, 0],
            points[place, 1],
            points[place, 2],
        )


def shares_at(points, triangles, corners, within, source_points) -> np.ndarray:
    """Return the shares (N, 3) float64 of source triangles' corners in those of result triangles.

    points   (P, 3) of the result; triangles (T, 3); corners (N,) of these
    within   (N, 3) the points of the source's triangle that each lies within, of source_points (V, 3)
    """
    out = np.empty((len(corners), 3))
    arrays = (
        frozen(points, np.float64), frozen(triangles, np.int32), frozen(corners, np.int64), frozen(within, np.int32),
        frozen(source_points, np.float64),
    )  # fmt: skip
    in_slices(lambda a, b: _shares_at(*arrays, a, b, out), len(corners), _SLICE)
    return out


@exact_bare_kernel
def _is_at(points, place, source_points, point):
    return (
        points[place, 0] == source_points[point, 0]
        and points[place, 1] == source_points[point, 1]
        and points[place, 2] == source_points[point, 2]
    )


@exact_bare_kernel
def _turns(points, triangles, n, source_points, one, two, three):
    """By how many corners a triangle that is the whole of a source's is turned against it; -1 for a part of it."""
    a, b, c = triangles[n, 0], triangles[n, 1], triangles[n, 2]
    if _is_at(points, a, source_points, one):
        is_whole = _is_at(points, b, source_points, two) and _is_at(points, c, source_points, three)
        return 0 if is_whole else -1
    if _is_at(points, a, source_points, two):
        is_whole = _is_at(points, b, source_points, three) and _is_at(points, c, source_points, one)
        return 1 if is_whole else -1
    if _is_at(points, a, source_points, three):
        is_whole = _is_at(points, b, source_points, one) and _is_at(points, c, source_points, two)
        return 2 if is_whole else -1
    return -1


@exact_bare_kernel
def _unit(normals, point):
    """A normal of length 1; 0 where there is none."""
    x, y, z = np.float64(normals[point, 0]), np.float64(normals[point, 1]), np.float64(normals[point, 2])
    length = np.sqrt(x * x + y * y + z * z)
    if length < 1e-12:
        return 0.0, 0.0, 0.0
    return x / length, y / length, z / length


@exact_bare_kernel
def _has_length(normals, point):
    x, y, z = np.float64(normals[point, 0]), np.float64(normals[point, 1]), np.float64(normals[point, 2])
    return x * x + y * y + z * z >= 1e-24


@exact_kernel
def _clothe(
    points, triangles, rows, known, source_points, within, source_normals, is_inner, start, stop, normals, origins
):  # fmt: skip
    """The normals of one source's triangles, or which points of the source those of its whole triangles are."""
    has_normals, has_origins = len(source_normals) > 0, len(origins) > 0
    for number in range(start, stop):
        n = rows[number]
        triangle = known[n]
        is_within = triangle >= 0 and has_normals
        if is_within:
            one, two, three = within[triangle, 0], within[triangle, 1], within[triangle, 2]
            turns = -1
            if has_origins:
                turns = _turns(points, triangles, n, source_points, one, two, three)
            if turns >= 0:
                if (
                    _has_length(source_normals, one)
                    and _has_length(source_normals, two)
                    and _has_length(source_normals, three)
                ):
                    for k in range(3):
                        origins[3 * n + k] = within[triangle, k + turns if k + turns < 3 else k + turns - 3]
                    continue
        a, b, c = triangles[n, 0], triangles[n, 1], triangles[n, 2]
        ux, uy, uz = points[b, 0] - points[a, 0], points[b, 1] - points[a, 1], points[b, 2] - points[a, 2]
        vx, vy, vz = points[c, 0] - points[a, 0], points[c, 1] - points[a, 1], points[c, 2] - points[a, 2]
        flat_x, flat_y, flat_z = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
        length = np.sqrt(flat_x * flat_x + flat_y * flat_y + flat_z * flat_z)
        scale = 1 / length if length > 1e-12 else 0.0
        flat_x, flat_y, flat_z = flat_x * scale, flat_y * scale, flat_z * scale
        for k in range(3):
            row = 3 * n + k
            normals[row, 0], normals[row, 1], normals[row, 2] = flat_x, flat_y, flat_z
            if not is_within:
                continue
            place = triangles[n, k]
            first, second, third = _shares(
                source_points, one, two, three, points[place, 0], points[place, 1], points[place, 2]
            )
            x = first * source_normals[one, 0] + second * source_normals[two, 0] + third * source_normals[three, 0]
            y = first * source_normals[one, 1] + second * source_normals[two, 1] + third * source_normals[three, 1]
            z = first * source_normals[one, 2] + second * source_normals[two, 2] + third * source_normals[three, 2]
            length = np.sqrt(x * x + y * y + z * z)
            if length < 1e-12:
                continue
            # What a solid lost lies inside the other one: it is seen from there.
            if is_inner and x * flat_x + y * flat_y + z * flat_z < 0:
                length = -length
            normals[row, 0], normals[row, 1], normals[row, 2] = x / length, y / length, z / length


def clothe(points, triangles, rows, known, source_points, within, source_normals, is_inner: bool, normals, origins):
    """Write the normals of the triangles of one source.

    points, triangles  (P, 3) and (T, 3) of the result
    rows     (N,) which of them are the source's
    known    (T,) which triangle of their source's each lies within; those of none (-1) have their own flat normals
    source_points   (V, 3), within (S, 3) the points of its triangles
    source_normals  (V, 3), or (0, 3) where its faces are flat
    is_inner  whether the normals are turned to where its triangles are seen from
    normals   (3T, 3) float64, of which those of these triangles are written
    origins   (3T,) int32, or (0,): of triangles that are whole ones of the source's the points that their corners
              are, which have their normals, is written instead
    """
    arrays = (
        frozen(points, np.float64), frozen(triangles, np.int32), frozen(rows, np.int64), frozen(known, np.int32),
        frozen(source_points, np.float64), frozen(within, np.int32), frozen(source_normals), is_inner,
    )  # fmt: skip
    in_slices(lambda a, b: _clothe(*arrays, a, b, normals, origins), len(rows), _SLICE)


@exact_kernel
def _corners_mixed(points, triangles, known, source_points, within, corners, values, start, stop, out):
    for n in range(start, stop):
        triangle = known[n]
        if triangle < 0:
            continue
        for k in range(3):
            place = triangles[n, k]
            first, second, third = _shares(
                source_points, within[triangle, 0], within[triangle, 1], within[triangle, 2],
                points[place, 0], points[place, 1], points[place, 2],
            )  # fmt: skip
            for column in range(values.shape[1]):
                out[3 * n + k, column] = (
                    first * values[corners[triangle, 0], column]
                    + second * values[corners[triangle, 1], column]
                    + third * values[corners[triangle, 2], column]
                )


def corners_mixed(points, triangles, known, source_points, within, corners, values, count: int) -> np.ndarray:
    """Return what corners carry of a source's: (count, K) float32, the first of them those of triangles.

    points, triangles  (P, 3) and (T, 3) of the result
    known    (T,) which triangle of the source's each lies within; zeros for those of none (-1), and for all that follow
    source_points   (V, 3), within (S, 3) the points of its triangles, and corners (S, 3) where these stand in
    values   (C, K) of the source's corners
    """
    out = np.zeros((count, values.shape[1]), np.float32)
    arrays = (
        frozen(points, np.float64), frozen(triangles, np.int32), frozen(known, np.int32),
        frozen(source_points, np.float64), frozen(within, np.int32), frozen(corners, np.int32), frozen(values),
    )  # fmt: skip
    in_slices(lambda a, b: _corners_mixed(*arrays, a, b, out), len(triangles), _SLICE)
    return out


@exact_bare_kernel
def _normal(normals, origins, source_normals, c):
    if origins[c] >= 0:
        return _unit(source_normals, origins[c])
    return normals[c, 0], normals[c, 1], normals[c, 2]


@exact_kernel
def _gather(points, corners, normals, origins, source_normals, firsts, start, stop, at, out):
    for n in range(start, stop):
        place = corners[firsts[n]]
        at[n, 0], at[n, 1], at[n, 2] = points[place, 0], points[place, 1], points[place, 2]
        out[n, 0], out[n, 1], out[n, 2] = _normal(normals, origins, source_normals, firsts[n])


def gather(points, triangles, normals, origins, source_normals, firsts) -> tuple[np.ndarray, np.ndarray]:
    """Return the places and normals, (P, 3) float32 each, of corners firsts (P,) of triangles (T, 3); see `clothe`."""
    at, out = np.empty((len(firsts), 3), np.float32), np.empty((len(firsts), 3), np.float32)
    arrays = (
        frozen(points), frozen(triangles.reshape(-1), np.int32), frozen(normals, np.float64),
        frozen(origins, np.int32), frozen(source_normals), frozen(firsts, np.int32),
    )  # fmt: skip
    in_slices(lambda a, b: _gather(*arrays, a, b, at, out), len(firsts), _SLICE)
    return at, out


@exact_bare_kernel
def _next(c):
    """The corner after one in its triangle."""
    return c + 1 if c % 3 < 2 else c - 2


@exact_bare_kernel
def _meet(c, begin, end, lists, following, wanted, out):
    """Pair an edge with the first one that runs the other way and has no twin yet, or list it until one comes."""
    low, high = min(begin, end), max(begin, end)
    mine, other = (2 * high, 2 * high + 1) if begin < end else (2 * high + 1, 2 * high)
    twin = before_twin = before = -1
    edge = lists[low]
    while edge >= 0:
        if wanted[edge] == mine:
            twin, before_twin = edge, before
        before, edge = edge, following[edge]
    out[c] = twin
    if twin < 0:
        wanted[c], following[c] = other, lists[low]
        lists[low] = c
        return
    out[twin] = c
    if before_twin < 0:
        lists[low] = following[twin]
    else:
        following[before_twin] = following[twin]


@exact_kernel
def _twins(triangles, lists, following, wanted, out):
    """For each edge the one that runs the other way, or -1.

    lists  (V,) of -1: the edges yet without a twin by their lower place, `following` (3T,) the next of each list, and
           wanted (3T,) what the twin is known by: twice its higher place, and one more if it runs downwards
    """
    for t in range(len(triangles)):
        a, b, c = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        _meet(3 * t, a, b, lists, following, wanted, out)
        _meet(3 * t + 1, b, c, lists, following, wanted, out)
        _meet(3 * t + 2, c, a, lists, following, wanted, out)


@exact_kernel
def _root(parents, c):
    while parents[c] != c:
        parents[c] = parents[parents[c]]
        c = parents[c]
    return c


@exact_kernel
def _join(parents, one, two):
    a, b = _root(parents, one), _root(parents, two)
    if a != b:
        parents[max(a, b)] = min(a, b)


@exact_kernel
def _nodes(corners, origins, firsts, out):
    """Corners that are one point of the source's are one node, named by their place; all others have their own."""
    for c in range(len(corners)):
        place, origin = corners[c], origins[c]
        if origin >= 0 and firsts[place] < 0:
            firsts[place] = origin
        out[c] = place if origin >= 0 and firsts[place] == origin else len(firsts) + c


@exact_bare_kernel
def _cosine(normals, origins, source_normals, one, two):
    ax, ay, az = _normal(normals, origins, source_normals, one)
    bx, by, bz = _normal(normals, origins, source_normals, two)
    return ax * bx + ay * by + az * bz


@exact_kernel
def _smooth(twins, nodes, normals, origins, source_normals, inner, alike, start, stop, out):
    """Over which edges normals go on smoothly: 0 sharp, 1 between the same nodes, 2 between others."""
    for c in range(start, stop):
        twin, kind = twins[c], 0
        # Of a pair the first tells for both: of these nobody else writes.
        if 0 <= twin < c:
            continue
        if twin >= 0 and inner[c // 3] == inner[twin // 3]:
            following, other = _next(c), _next(twin)
            if nodes[c] == nodes[other] and nodes[following] == nodes[twin]:
                kind = 1
            elif (
                _cosine(normals, origins, source_normals, c, other) > alike
                and _cosine(normals, origins, source_normals, following, twin) > alike
            ):
                kind = 2
        out[c] = kind
        if twin >= 0:
            out[twin] = kind


@exact_kernel
def _group(twins, smooth, nodes, parents, made_of, numbers, firsts):
    """Corners in one place are one point where two triangles share an edge over which normals go on smoothly."""
    for n in range(len(parents)):
        parents[n], made_of[n] = n, -1
    for c in range(len(twins)):
        twin = twins[c]
        if smooth[c] == 2 and c < twin:
            _join(parents, nodes[c], nodes[_next(twin)])
            _join(parents, nodes[_next(c)], nodes[twin])
    # Points are numbered in the order of their first corners.
    made = 0
    for c in range(len(twins)):
        root = _root(parents, nodes[c])
        if made_of[root] < 0:
            made_of[root] = made
            firsts[made] = c
            made += 1
        numbers[c] = made_of[root]
    return made


@exact_kernel
def _seams(corners, twins, smooth, numbers, inner, groups, begins, edges, out, sizes, arcs, places):
    """Edges to see: sharp ones, and from one side those between two groups that are no cut.

    And faces without area along sharp ones: (S, 4) points, how many of them, and the steps around their ends.
    """
    seen = made = steps = 0
    for c in range(len(corners)):
        twin = twins[c]
        is_first = c < twin
        if smooth[c] and (not is_first or inner[c // 3] or groups[c // 3] == groups[twin // 3]):
            continue
        following = _next(c)
        begins[seen], edges[seen, 0], edges[seen, 1] = c, numbers[c], numbers[following]
        seen += 1
        if smooth[c] or not is_first:
            continue
        other = _next(twin)
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
    return seen, made, steps


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


def twins_of(triangles) -> np.ndarray:
    """Return (3T,) int32: for each edge of triangles (T, 3) the one that runs the other way, or -1.

    Where several run the same way, each is the twin of one alone, the first that is still free.
    """
    triangles = frozen(triangles, np.int32)
    twins, following, wanted = (np.empty(triangles.size, np.int32) for _ in range(3))
    _twins(triangles, np.full(int(triangles.max(initial=-1)) + 1, -1, np.int32), following, wanted, twins)
    return twins


def points_of(triangles, twins, normals, origins, source_normals, inner, alike: float):
    """Return which new point each corner is, the first corner of each point, and which edges go on smoothly.

    triangles  (T, 3), twins (3T,) from `twins_of`, and inner (T,) bool
    normals, origins, source_normals  see `clothe`
    alike      cosine of the angle up to which normals are those of one smooth surface
    Returns    (3T,) numbers, (P,) corners, (3T,) bool
    """
    corners, origins = frozen(triangles.reshape(-1), np.int32), frozen(origins, np.int32)
    count, places = len(corners), int(corners.max(initial=-1)) + 1
    nodes, numbers, firsts = (np.empty(count, np.int32) for _ in range(3))
    smooth = np.empty(count, np.uint8)
    _nodes(corners, origins, np.full(places, -1, np.int32), nodes)
    arrays = twins, nodes, frozen(normals, np.float64), origins, frozen(source_normals), frozen(inner, bool)
    in_slices(lambda a, b: _smooth(*arrays, alike, a, b, smooth), count, 4 * _SLICE)
    spare = np.empty((2, places + count), np.int32)
    made = _group(twins, smooth, nodes, *spare, numbers, firsts)
    return numbers, firsts[:made], smooth > 0


def seams_of(triangles, twins, smooth, numbers, inner, groups):
    """Return the edges that are there to see, and faces without area that sew points in one place together.

    groups   (T,) of triangles: those of one face have no edge between them to see
    Returns  the corners (E,) that edges begin at, and points (E, 2); the faces' corners in a row, and sizes
    """
    corners = frozen(triangles.reshape(-1), np.int32)
    begins, edges = np.empty(len(corners), np.int32), np.empty((len(corners), 2), np.int32)
    most = len(smooth) - int(np.count_nonzero(smooth)) + 1
    quads, sizes = np.empty((most, 4), np.int32), np.empty(most, np.int64)
    arcs, places = np.empty((2 * most, 2), np.int64), np.empty(2 * most, np.int64)
    seen, made, steps = _seams(
        corners, twins, smooth, numbers, frozen(inner, bool), frozen(groups, np.int32), begins, edges, quads, sizes,
        arcs, places,
    )  # fmt: skip
    order = np.argsort(places[:steps], kind="stable")
    rings, ring_sizes = np.empty(steps + 1, np.int32), np.empty(steps + 1, np.int64)
    ring_count, filled = _rings(arcs[order], places[order], np.zeros(steps, bool), rings, ring_sizes)
    is_corner = np.arange(4) < sizes[:made, None]
    return (
        begins[:seen],
        edges[:seen],
        np.concatenate([quads[:made][is_corner], rings[:filled]]),
        np.concatenate([sizes[:made], ring_sizes[:ring_count]]),
    )
