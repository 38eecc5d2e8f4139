"""Which corners of a solid's triangles are one point, which edges are seen, and what sews points together.

A corner c is the beginning of an edge to the corner after it in its triangle.
"""

import numpy as np

from ..compile import exact_bare_kernel, exact_kernel, frozen
from ..threads import in_slices
from .within import normal_of

# Edges that a thread does at a time.
_SLICE = 16384


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
    ax, ay, az = normal_of(normals, origins, source_normals, one)
    bx, by, bz = normal_of(normals, origins, source_normals, two)
    return ax * bx + ay * by + az * bz


@exact_kernel
def _smooth(twins, nodes, normals, origins, source_normals, inner, groups, alike, start, stop, out, seen):
    """Over which edges normals go on smoothly: 0 sharp, 1 between the same nodes, 2 between others.

    And which are seen: sharp ones, and from one side those between two groups that are no cut.
    """
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
        seen[c] = kind == 0 or not (inner[c // 3] or groups[c // 3] == groups[twin // 3])
        if twin >= 0:
            out[twin], seen[twin] = kind, kind == 0


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
def _seams(corners, twins, smooth, numbers, begins, edges, out, sizes, arcs, places):
    """The points of edges, and faces without area along sharp ones: (S, 4), and the steps around their ends."""
    made = steps = 0
    for n in range(len(begins)):
        c = begins[n]
        twin, following = twins[c], _next(c)
        edges[n, 0], edges[n, 1] = numbers[c], numbers[following]
        if smooth[c] or c >= twin:
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


def twins_of(triangles) -> np.ndarray:
    """Return (3T,) int32: for each edge of triangles (T, 3) the one that runs the other way, or -1.

    Where several run the same way, each is the twin of one alone, the first that is still free.
    """
    triangles = frozen(triangles, np.int32)
    twins, following, wanted = (np.empty(triangles.size, np.int32) for _ in range(3))
    _twins(triangles, np.full(int(triangles.max(initial=-1)) + 1, -1, np.int32), following, wanted, twins)
    return twins


def points_of(triangles, twins, normals, origins, source_normals, inner, groups, alike: float):
    """Return which new point each corner is, the first corner of each point, and which edges are smooth or to see.

    triangles  (T, 3), twins (3T,) from `twins_of`, and inner (T,) bool
    normals, origins, source_normals  see `within.clothe`
    groups     (T,) of triangles: those of one face have no edge between them to see
    alike      cosine of the angle up to which normals are those of one smooth surface
    Returns    (3T,) numbers, (P,) corners, (3T,) bool, and the corners (E,) that edges to see begin at
    """
    corners, origins = frozen(triangles.reshape(-1), np.int32), frozen(origins, np.int32)
    count, places = len(corners), int(corners.max(initial=-1)) + 1
    nodes, numbers, firsts = (np.empty(count, np.int32) for _ in range(3))
    smooth, seen = np.empty(count, np.uint8), np.empty(count, bool)
    _nodes(corners, origins, np.full(places, -1, np.int32), nodes)
    arrays = (
        twins, nodes, frozen(normals, np.float64), origins, frozen(source_normals), frozen(inner, bool),
        frozen(groups, np.int32), alike,
    )  # fmt: skip
    in_slices(lambda a, b: _smooth(*arrays, a, b, smooth, seen), count, _SLICE)
    spare = np.empty((2, places + count), np.int32)
    made = _group(twins, smooth, nodes, *spare, numbers, firsts)
    return numbers, firsts[:made], smooth > 0, np.flatnonzero(seen)


def seams_of(triangles, twins, smooth, numbers, begins):
    """Return the points of edges to see, and faces without area that sew points in one place together.

    triangles (T, 3), twins (3T,) from `twins_of`, and what `points_of` returned
    Returns  (E, 2) points; the faces' corners in a row, and sizes
    """
    corners = frozen(triangles.reshape(-1), np.int32)
    edges = np.empty((len(begins), 2), np.int32)
    most = len(smooth) - int(np.count_nonzero(smooth)) + 1
    quads, sizes = np.empty((most, 4), np.int32), np.empty(most, np.int64)
    arcs, places = np.empty((2 * most, 2), np.int64), np.empty(2 * most, np.int64)
    made, steps = _seams(corners, twins, smooth, numbers, begins, edges, quads, sizes, arcs, places)
    order = np.argsort(places[:steps], kind="stable")
    rings, ring_sizes = np.empty(steps + 1, np.int32), np.empty(steps + 1, np.int64)
    ring_count, filled = _rings(arcs[order], places[order], np.zeros(steps, bool), rings, ring_sizes)
    is_corner = np.arange(4) < sizes[:made, None]
    return (
        edges,
        np.concatenate([quads[:made][is_corner], rings[:filled]]),
        np.concatenate([sizes[:made], ring_sizes[:ring_count]]),
    )
