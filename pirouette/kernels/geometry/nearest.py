"""Nearest places on triangles or segments, and whether points lie inside a closed mesh, by a tree of boxes.

The tree is a complete binary one over the items in the order of a space-filling curve, so it needs no pointers.
Source  C. Ericson, "Real-time collision detection" (2005), section 5.1.5, for the place on a triangle nearest to points
"""

from typing import NamedTuple

import numpy as np

from ..compile import exact_bare_kernel, exact_kernel, frozen, frozen_rows
from ..threads import in_slices
from ..types import ZERO, D, F, I, L, U
from ..vectors import LANES
from .eights import balls_within, boxes_within, lowest_bit
from .order import side_by_side

DEEPEST = 128
FARTHEST = 3e38
# What is left out by numbers of 32 bits is farther by more than they can be wrong.
A_HAIR = 1 + 4e-6
SLICE = 256
LIGHT_SLICE = 4096


class _Boxed(NamedTuple):
    """A tree as kernels read it."""

    points: np.ndarray  # (V, 3) float32
    items: np.ndarray  # (N, 2 or 3) int32: the corners of segments or triangles
    order: np.ndarray  # (N,) int32: items side by side in space
    boxes: np.ndarray  # (M, 6) float64: low and high corners, children 2i + 1 and 2i + 2; then those of the leaves
    first_leaf: int
    size: int  # of a leaf, in items
    corners: np.ndarray  # (N, 2 or 3, 3) float32: where the corners of items are, in that order, so that none is sought
    eights: np.ndarray  # (K * 48,) float32: for inner nodes the boxes of the eight nodes three levels below
    balls: np.ndarray  # (leaves * 32,) float32: for each leaf the balls around its items, their middles and radii


@exact_kernel
def _leaf_boxes(points, items, order, first_leaf, size, boxes):
    for leaf in range(len(boxes) - first_leaf):
        box = boxes[first_leaf + leaf]
        for k in range(3):
            box[k] = 1e300
            box[k + 3] = -1e300
        for n in range(leaf * size, min((leaf + 1) * size, len(order))):
            for corner in range(items.shape[1]):
                for k in range(3):
                    value = D(points[items[order[n], corner], k])
                    box[k] = min(box[k], value)
                    box[k + 3] = max(box[k + 3], value)


@exact_kernel
def _inner_boxes(first_leaf, boxes):
    for node in range(first_leaf - 1, -1, -1):
        for k in range(3):
            boxes[node, k] = min(boxes[2 * node + 1, k], boxes[2 * node + 2, k])
            boxes[node, k + 3] = max(boxes[2 * node + 1, k + 3], boxes[2 * node + 2, k + 3])


@exact_bare_kernel
def _on_segment(corners, n, x, y, z):
    """The share of the second corner at the nearest place of segment n, and the distance squared."""
    ax, ay, az = D(corners[n, 0, 0]), D(corners[n, 0, 1]), D(corners[n, 0, 2])
    ux, uy, uz = D(corners[n, 1, 0]) - ax, D(corners[n, 1, 1]) - ay, D(corners[n, 1, 2]) - az
    square = ux * ux + uy * uy + uz * uz
    t = ((x - ax) * ux + (y - ay) * uy + (z - az) * uz) / square if square > 0 else 0.0
    t = min(max(t, 0.0), 1.0)
    dx, dy, dz = ax + t * ux - x, ay + t * uy - y, az + t * uz - z
    return t, dx * dx + dy * dy + dz * dz


@exact_bare_kernel
def _on_triangle(corners, n, x, y, z):
    """The shares of the second and third corner at the nearest place of triangle n, and the distance squared."""
    ax, ay, az = D(corners[n, 0, 0]), D(corners[n, 0, 1]), D(corners[n, 0, 2])
    bx, by, bz = D(corners[n, 1, 0]), D(corners[n, 1, 1]), D(corners[n, 1, 2])
    cx, cy, cz = D(corners[n, 2, 0]), D(corners[n, 2, 1]), D(corners[n, 2, 2])
    abx, aby, abz = bx - ax, by - ay, bz - az
    acx, acy, acz = cx - ax, cy - ay, cz - az
    apx, apy, apz = x - ax, y - ay, z - az
    d1 = abx * apx + aby * apy + abz * apz
    d2 = acx * apx + acy * apy + acz * apz
    bpx, bpy, bpz = x - bx, y - by, z - bz
    d3 = abx * bpx + aby * bpy + abz * bpz
    d4 = acx * bpx + acy * bpy + acz * bpz
    cpx, cpy, cpz = x - cx, y - cy, z - cz
    d5 = abx * cpx + aby * cpy + abz * cpz
    d6 = acx * cpx + acy * cpy + acz * cpz
    va = d3 * d6 - d5 * d4
    vb = d5 * d2 - d1 * d6
    vc = d1 * d4 - d3 * d2
    if d1 <= 0 and d2 <= 0:
        v, w = 0.0, 0.0
    elif d3 >= 0 and d4 <= d3:
        v, w = 1.0, 0.0
    elif d6 >= 0 and d5 <= d6:
        v, w = 0.0, 1.0
    elif vc <= 0 and d1 >= 0 and d3 <= 0:
        v, w = d1 / (d1 - d3) if d1 > d3 else 0.0, 0.0
    elif vb <= 0 and d2 >= 0 and d6 <= 0:
        v, w = 0.0, d2 / (d2 - d6) if d2 > d6 else 0.0
    elif va <= 0 and d4 - d3 >= 0 and d5 - d6 >= 0:
        total = (d4 - d3) + (d5 - d6)
        w = (d4 - d3) / total if total > 0 else 0.0
        v = 1.0 - w
    else:
        total = va + vb + vc
        v, w = (vb / total, vc / total) if total != 0 else (0.0, 0.0)
    dx = abx * v + acx * w - apx
    dy = aby * v + acy * w - apy
    dz = abz * v + acz * w - apz
    return v, w, dx * dx + dy * dy + dz * dz


@exact_bare_kernel
def _on_item(corners, n, x, y, z):
    """The shares of the second and third corner at the nearest place of item n, and the distance squared."""
    if corners.shape[1] == 2:
        t, away = _on_segment(corners, n, x, y, z)
        return t, 0.0, away
    return _on_triangle(corners, n, x, y, z)


@exact_kernel
def _closest(turns, queries, within, slots, hints, nearest, barys, distances):
    """The nearest items to queries in their turns, each beginning with its hint, or with what the one before found.

    What is no farther than that is looked at; of several alike the lowest counts, whatever was hinted. What is left
    out is judged with 32 bits, so a hair farther is looked at, too.
    """
    _, _, order, _, first_leaf, size, corners, eights, balls = within
    stack, waits, aways = np.empty(DEEPEST, I), np.empty(DEEPEST, F), np.empty(LANES, F)
    found = order[0]
    for turn in range(len(turns)):
        q = turns[turn]
        fx, fy, fz = queries[q, 0], queries[q, 1], queries[q, 2]
        x, y, z = D(fx), D(fy), D(fz)
        if len(hints):
            found = hints[q]
        v, w, best = _on_item(corners, slots[found], x, y, z)
        most, reach = F(best * A_HAIR), F(np.sqrt(best) * A_HAIR)
        depth = 1
        stack[0], waits[0] = 0, ZERO
        while depth > 0:
            depth -= 1
            if waits[depth] > most:
                continue
            node = stack[depth]
            if node < first_leaf:
                near = boxes_within(eights, node * L(6 * LANES), fx, fy, fz, most, aways)
                bottom = depth
                while near:
                    k = lowest_bit(near)
                    near &= near - U(1)
                    # The nearest of them lies on top.
                    at = U(depth)
                    if depth > bottom and waits[at - U(1)] < aways[k]:
                        stack[at], waits[at] = stack[at - U(1)], waits[at - U(1)]
                        at -= U(1)
                    stack[at], waits[at] = LANES * node + (LANES - 1) + I(k), aways[k]
                    depth += 1
                continue
            leaf = node - first_leaf
            near = balls_within(balls, leaf * L(4 * LANES), fx, fy, fz, reach)
            while near:
                n = leaf * size + I(lowest_bit(near))
                near &= near - U(1)
                b, c, away = _on_item(corners, n, x, y, z)
                if away < best or (away == best and order[n] < found):
                    best, found, v, w = away, order[n], b, c
                    most, reach = F(best * A_HAIR), F(np.sqrt(best) * A_HAIR)
        nearest[q], distances[q] = found, np.sqrt(best)
        barys[q, 0], barys[q, 1], barys[q, 2] = 1.0 - v - w, v, w


@exact_kernel
def _on_items(queries, corners, chosen, barys, distances):
    """The nearest place to each point on an item of its own, by its number in their order."""
    for q in range(len(queries)):
        v, w, away = _on_item(corners, chosen[q], D(queries[q, 0]), D(queries[q, 1]), D(queries[q, 2]))
        barys[q, 0], barys[q, 1], barys[q, 2] = 1.0 - v - w, v, w
        distances[q] = np.sqrt(away)


@exact_kernel
def _mixed(rows, items, chosen, barys, out):
    """What the rows of corners come to at barycentrics on items."""
    for q in range(len(chosen)):
        for k in range(3):
            total = 0.0
            for corner in range(items.shape[1]):
                total += barys[q, corner] * D(rows[items[chosen[q], corner], k])
            out[q, k] = F(total)


@exact_kernel
def _span(box, x, y, z, wx, wy, wz, near, far):
    """Where on a line from a place along a way, within near..far, it is in a box; far < near if nowhere."""
    for k in range(3):
        at = x if k == 0 else (y if k == 1 else z)
        way = wx if k == 0 else (wy if k == 1 else wz)
        if way == 0:
            if at < box[k] or at > box[k + 3]:
                return 1.0, -np.inf
            continue
        a, b = (box[k] - at) / way, (box[k + 3] - at) / way
        near, far = max(near, min(a, b)), min(far, max(a, b))
    return near, far


@exact_kernel
def _through(points, item, x, y, z, wx, wy, wz):
    """Where a line passes through the plane of a triangle: along its way, and there the shares of two corners.

    u is below 0 where it never does.
    """
    a, b, c = points[item[0]], points[item[1]], points[item[2]]
    ux, uy, uz = D(b[0]) - a[0], D(b[1]) - a[1], D(b[2]) - a[2]
    vx, vy, vz = D(c[0]) - a[0], D(c[1]) - a[1], D(c[2]) - a[2]
    px, py, pz = wy * vz - wz * vy, wz * vx - wx * vz, wx * vy - wy * vx
    det = ux * px + uy * py + uz * pz
    if det == 0:
        return 0.0, -1.0, 0.0
    tx, ty, tz = x - a[0], y - a[1], z - a[2]
    u = (tx * px + ty * py + tz * pz) / det
    sx, sy, sz = ty * uz - tz * uy, tz * ux - tx * uz, tx * uy - ty * ux
    v = (wx * sx + wy * sy + wz * sz) / det
    return (vx * sx + vy * sy + vz * sz) / det, u, v


@exact_kernel
def _crossings(queries, way, within, out):
    """Count how often a ray from each point passes through the triangles."""
    points, items, order, boxes, first_leaf, size, _, _, _ = within
    stack = np.empty(DEEPEST, I)
    for q in range(len(queries)):
        x, y, z = D(queries[q, 0]), D(queries[q, 1]), D(queries[q, 2])
        count = 0
        depth = 1
        stack[0] = 0
        while depth > 0:
            depth -= 1
            node = stack[depth]
            box = boxes[node]
            near, far = _span(box, x, y, z, way[0], way[1], way[2], 0.0, 1e300)
            if near > far:
                continue
            if node < first_leaf:
                stack[depth] = 2 * node + 1
                stack[depth + 1] = 2 * node + 2
                depth += 2
                continue
            leaf = node - first_leaf
            for n in range(leaf * size, min((leaf + 1) * size, len(order))):
                item = items[order[n]]
                t, u, v = _through(points, item, x, y, z, way[0], way[1], way[2])
                count += u >= 0 and v >= 0 and u + v <= 1 and t > 0
        out[q] = count


@exact_kernel
def _struck(queries, way, within, nearest, barys, distances):
    """The nearest triangle on the line through each point, before or behind; distances along the way, inf if none."""
    points, items, order, boxes, first_leaf, size, _, _, _ = within
    stack = np.empty(DEEPEST, I)
    for q in range(len(queries)):
        x, y, z = D(queries[q, 0]), D(queries[q, 1]), D(queries[q, 2])
        best = np.inf
        depth = 1
        stack[0] = 0
        while depth > 0:
            depth -= 1
            node = stack[depth]
            box = boxes[node]
            near, far = _span(box, x, y, z, way[0], way[1], way[2], -np.inf, np.inf)
            if near > far + 1e-6 * (1 + abs(far)) or max(near, -far) > abs(best):
                continue
            if node < first_leaf:
                stack[depth] = 2 * node + 1
                stack[depth + 1] = 2 * node + 2
                depth += 2
                continue
            leaf = node - first_leaf
            for n in range(leaf * size, min((leaf + 1) * size, len(order))):
                item = items[order[n]]
                t, u, v = _through(points, item, x, y, z, way[0], way[1], way[2])
                # A hair beyond its edges, so that nothing slips through between two triangles.
                if u < -1e-9 or v < -1e-9 or u + v > 1 + 1e-9:
                    continue
                if abs(t) < abs(best) or (abs(t) == abs(best) and order[n] < nearest[q]):
                    best = t
                    nearest[q] = order[n]
                    barys[q, 0], barys[q, 1], barys[q, 2] = 1.0 - u - v, u, v
        distances[q] = best


@exact_kernel
def _met(starts, ends, within, counts, offsets, out):
    """Where segments pass through triangles, as shares of their lengths; counted if `out` is empty, else written."""
    points, items, order, boxes, first_leaf, size, _, _, _ = within
    stack = np.empty(DEEPEST, I)
    for q in range(len(starts)):
        x, y, z = D(starts[q, 0]), D(starts[q, 1]), D(starts[q, 2])
        wx, wy, wz = D(ends[q, 0]) - x, D(ends[q, 1]) - y, D(ends[q, 2]) - z
        found = 0
        depth = 1
        stack[0] = 0
        while depth > 0:
            depth -= 1
            node = stack[depth]
            box = boxes[node]
            near, far = _span(box, x, y, z, wx, wy, wz, 0.0, 1.0)
            if near > far + 1e-9:
                continue
            if node < first_leaf:
                stack[depth] = 2 * node + 1
                stack[depth + 1] = 2 * node + 2
                depth += 2
                continue
            leaf = node - first_leaf
            for n in range(leaf * size, min((leaf + 1) * size, len(order))):
                item = items[order[n]]
                t, u, v = _through(points, item, x, y, z, wx, wy, wz)
                if u >= 0 and v >= 0 and u + v <= 1 and t >= 0 and t <= 1:
                    if len(out):
                        out[offsets[q] + found] = t
                    found += 1
        counts[q] = found


class Tree:
    """A tree of boxes over triangles (T, 3) or segments (S, 2) of points (V, 3)."""

    def __init__(self, points, items):
        self.points = frozen(points)
        self.items = frozen(items, np.int32)
        count = len(self.items)
        middles = self.points[self.items].mean(axis=1, dtype=np.float64) if count else np.zeros((0, 3))
        self.order = side_by_side(middles)
        self.corners = frozen(self.points[self.items[self.order]])
        self.slots = frozen(np.argsort(self.order), np.int32)
        leaves = 1
        # Nodes are looked at as many at a time as vectors hold, and a leaf holds no more items.
        while leaves * LANES < count:
            leaves *= LANES
        self.first_leaf, self.size = leaves - 1, -(-count // leaves)
        self.boxes = np.empty((2 * leaves - 1, 6))
        _leaf_boxes(self.points, self.items, self.order, self.first_leaf, self.size, self.boxes)
        _inner_boxes(self.first_leaf, self.boxes)
        # Corners are float32, and so are their boxes; the eight below node n begin at 8n + 7.
        below = np.clip(self.boxes[LANES - 1 :], -FARTHEST, FARTHEST).reshape(-1, LANES, 6)
        self.eights = frozen(below.transpose(0, 2, 1).reshape(-1))
        self.balls = self._balls(leaves)

    def _balls(self, leaves) -> np.ndarray:
        """The balls around the items of each leaf, as kernels read them; those that are none are far away."""
        count = len(self.items)
        middles = self.corners.mean(axis=1, dtype=np.float64).astype(np.float32)
        far = np.sqrt(((self.corners - middles[:, None].astype(np.float64)) ** 2).sum(axis=-1)).max(axis=1, initial=0.0)
        balls = np.zeros((leaves * LANES, 4), np.float32)
        balls[:, :3] = FARTHEST
        number = np.arange(count)
        at = number // max(self.size, 1) * LANES + number % max(self.size, 1)
        balls[at, :3] = middles
        # A hair wider, so that rounding leaves nothing out.
        balls[at, 3] = far * (1 + 1e-5) + 1e-30
        return frozen(balls.reshape(leaves, LANES, 4).transpose(0, 2, 1).reshape(-1))

    @property
    def own_bytes(self) -> int:
        arrays = self.points, self.items, self.order, self.boxes, self.corners, self.slots, self.eights, self.balls
        return sum(array.nbytes for array in arrays)

    @property
    def _boxed(self) -> _Boxed:
        points, items, order, boxes, corners = self.points, self.items, self.order, self.boxes, self.corners
        return _Boxed(points, items, order, boxes, self.first_leaf, self.size, corners, self.eights, self.balls)

    def closest(self, queries, hints=None) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Return for (Q, 3) points the nearest item (Q,), its barycentrics (Q, 3) float64 and the distance (Q,).

        hints   (Q,) items that are near, which make it faster and nothing else
        Raises  ValueError if there are no items
        """
        if not len(self.items):
            raise ValueError("there is nothing to be near to")
        queries = frozen(queries)
        nearest = np.zeros(len(queries), np.int32)
        barys, distances = np.empty((len(queries), 3)), np.empty(len(queries))
        known = frozen(np.zeros(0) if hints is None else hints, np.int32)
        turns = side_by_side(queries, is_rough=True) if hints is None else np.arange(len(queries), dtype=np.int32)
        in_slices(
            lambda a, b: _closest(turns[a:b], queries, self._boxed, self.slots, known, nearest, barys, distances),
            len(queries),
            SLICE,
        )
        return nearest, barys, distances

    def on_items(self, queries, chosen) -> tuple[np.ndarray, np.ndarray]:
        """Return (Q, 3) float64 barycentrics of the nearest places to (Q, 3) points on an item of each, and how far."""
        queries, chosen = frozen(queries), frozen(self.slots[chosen], np.int32)
        barys, distances = np.empty((len(queries), 3)), np.empty(len(queries))
        in_slices(
            lambda a, b: _on_items(queries[a:b], self.corners, chosen[a:b], barys[a:b], distances[a:b]),
            len(queries),
            LIGHT_SLICE,
        )
        return barys, distances

    def struck(self, queries, way) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Return for (Q, 3) points the nearest triangle on the lines through them along a way (3,), before or behind.

        Returns  (Q,) items, (Q, 3) float64 barycentrics, and (Q,) distances along the way, inf where there is none
        Source   T. Möller and B. Trumbore, "Fast, minimum storage ray-triangle intersection", Journal of Graphics
                 Tools 2 (1997)
        """
        queries, way = frozen(queries), np.asarray(way, np.float64)
        nearest = np.zeros(len(queries), np.int32)
        barys, distances = np.zeros((len(queries), 3)), np.full(len(queries), np.inf)
        if len(self.items):
            in_slices(
                lambda a, b: _struck(queries[a:b], way, self._boxed, nearest[a:b], barys[a:b], distances[a:b]),
                len(queries),
                2048,
            )
        return nearest, barys, distances

    def met(self, starts, ends) -> tuple[np.ndarray, np.ndarray]:
        """Return where segments (Q, 3) to (Q, 3) pass through the triangles.

        Returns  (M,) numbers of segments, and (M,) float64 shares of their lengths, sorted by both
        """
        starts, ends = frozen(starts), frozen(ends)
        counts, nothing = np.zeros(len(starts), np.int64), np.zeros(0)
        if not len(self.items) or not len(starts):
            return counts[:0], nothing
        _met(starts, ends, self._boxed, counts, counts, nothing)
        total = int(counts.sum())
        shares = np.empty(total)
        if total:
            _met(starts, ends, self._boxed, counts, np.cumsum(counts) - counts, shares)
        numbers = np.repeat(np.arange(len(starts)), counts)
        order = np.lexsort((shares, numbers))
        return numbers[order], shares[order]

    def places(self, nearest, barys) -> np.ndarray:
        """Return the (Q, 3) float32 points that items and barycentrics name."""
        return self.mixed(self.points, nearest, barys)

    def mixed(self, rows, nearest, barys) -> np.ndarray:
        """Return (Q, 3) float32: what the points' (V, 3) float32 rows come to where items and barycentrics are."""
        rows = frozen_rows(rows, 3)
        chosen, barys = frozen(nearest, np.int32), frozen(barys, np.float64)
        out = np.empty((len(chosen), 3), np.float32)
        in_slices(lambda a, b: _mixed(rows, self.items, chosen[a:b], barys[a:b], out[a:b]), len(chosen), LIGHT_SLICE)
        return out

    def inside(self, queries) -> np.ndarray:
        """Return (Q,) bool: whether points lie inside the closed mesh of the triangles, by the parity of a ray."""
        queries = frozen(queries)
        crossed = np.zeros(len(queries), np.int32)
        # No axis and no diagonal: it meets the edges of regular forms as good as never.
        way = np.array([0.8017837, 0.2672612, 0.5345225]) + np.array([0.0137, -0.0211, 0.0173])
        if len(self.items):
            in_slices(
                lambda a, b: _crossings(queries[a:b], way, self._boxed, crossed[a:b]),
                len(queries),
                2048,
            )
        return crossed % 2 == 1
