"""Nearest places on triangles or segments, and whether points lie inside a closed mesh, by a tree of boxes.

The tree is a complete binary one over the items in the order of a space-filling curve, so it needs no pointers.
Sources: G. M. Morton, "A computer oriented geodetic data base", IBM 1966, for the order; C. Ericson, "Real-time
collision detection" (2005), section 5.1.5, for the place on a triangle nearest to a point.
"""

from typing import NamedTuple

import numpy as np

from ..compile import exact_kernel, frozen, frozen_rows
from ..threads import in_slices
from ..types import D, F, I

LEAF = 4
DEEPEST = 64
SLICE = 256


class _Boxed(NamedTuple):
    """A tree as kernels read it."""

    points: np.ndarray  # (V, 3) float32
    items: np.ndarray  # (N, 2 or 3) int32: the corners of segments or triangles
    order: np.ndarray  # (N,) int32: items side by side in space
    boxes: np.ndarray  # (M, 6) float64: low and high corners, children 2i + 1 and 2i + 2; then those of the leaves
    first_leaf: int
    corners: np.ndarray  # (N, 2 or 3, 3) float32: where the corners of items are, in that order, so that none is sought


@exact_kernel
def _spread_bits(x):
    x &= 0x1FFFFF
    x = (x | x << 32) & 0x1F00000000FFFF
    x = (x | x << 16) & 0x1F0000FF0000FF
    x = (x | x << 8) & 0x100F00F00F00F00F
    x = (x | x << 4) & 0x10C30C30C30C30C3
    return (x | x << 2) & 0x1249249249249249


@exact_kernel
def _codes(middles, low, scale, start, stop, out):
    for i in range(start, stop):
        code = 0
        for k in range(3):
            place = np.int64((middles[i, k] - low[k]) * scale[k])
            code |= _spread_bits(min(max(place, 0), 0x1FFFFF)) << k
        out[i] = code


@exact_kernel
def _leaf_boxes(points, items, order, first_leaf, boxes):
    for leaf in range(len(boxes) - first_leaf):
        box = boxes[first_leaf + leaf]
        for k in range(3):
            box[k] = 1e300
            box[k + 3] = -1e300
        for n in range(leaf * LEAF, min((leaf + 1) * LEAF, len(order))):
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


@exact_kernel
def _box_distance(box, x, y, z):
    dx = max(max(box[0] - x, x - box[3]), 0.0)
    dy = max(max(box[1] - y, y - box[4]), 0.0)
    dz = max(max(box[2] - z, z - box[5]), 0.0)
    return dx * dx + dy * dy + dz * dz


@exact_kernel
def _on_segment(a, b, x, y, z, bary):
    ux, uy, uz = D(b[0]) - a[0], D(b[1]) - a[1], D(b[2]) - a[2]
    square = ux * ux + uy * uy + uz * uz
    t = ((x - a[0]) * ux + (y - a[1]) * uy + (z - a[2]) * uz) / square if square > 0 else 0.0
    t = min(max(t, 0.0), 1.0)
    bary[0], bary[1], bary[2] = 1.0 - t, t, 0.0
    dx, dy, dz = a[0] + t * ux - x, a[1] + t * uy - y, a[2] + t * uz - z
    return dx * dx + dy * dy + dz * dz


@exact_kernel
def _on_triangle(a, b, c, x, y, z, bary):
    abx, aby, abz = D(b[0]) - a[0], D(b[1]) - a[1], D(b[2]) - a[2]
    acx, acy, acz = D(c[0]) - a[0], D(c[1]) - a[1], D(c[2]) - a[2]
    apx, apy, apz = x - a[0], y - a[1], z - a[2]
    d1 = abx * apx + aby * apy + abz * apz
    d2 = acx * apx + acy * apy + acz * apz
    bpx, bpy, bpz = x - b[0], y - b[1], z - b[2]
    d3 = abx * bpx + aby * bpy + abz * bpz
    d4 = acx * bpx + acy * bpy + acz * bpz
    cpx, cpy, cpz = x - c[0], y - c[1], z - c[2]
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
    bary[0], bary[1], bary[2] = 1.0 - v - w, v, w
    dx = abx * v + acx * w - apx
    dy = aby * v + acy * w - apy
    dz = abz * v + acz * w - apz
    return dx * dx + dy * dy + dz * dz


@exact_kernel
def _closest(queries, within, hints, nearest, barys, distances):
    points, items, order, boxes, first_leaf, corners = within
    stack = np.empty(DEEPEST, I)
    bary = np.empty(3, D)
    for q in range(len(queries)):
        x, y, z = D(queries[q, 0]), D(queries[q, 1]), D(queries[q, 2])
        best = 1e300
        if len(hints):
            # What is no farther than an item that was near before is looked at; of several alike the lowest counts.
            item = hints[q]
            a, b = points[items[item, 0]], points[items[item, 1]]
            if items.shape[1] == 2:
                best = _on_segment(a, b, x, y, z, bary)
            else:
                best = _on_triangle(a, b, points[items[item, 2]], x, y, z, bary)
            nearest[q] = item
            for k in range(3):
                barys[q, k] = bary[k]
        depth = 1
        stack[0] = 0
        while depth > 0:
            depth -= 1
            node = stack[depth]
            if _box_distance(boxes[node], x, y, z) > best:
                continue
            if node >= first_leaf:
                leaf = node - first_leaf
                for n in range(leaf * LEAF, min((leaf + 1) * LEAF, len(order))):
                    item = order[n]
                    if items.shape[1] == 2:
                        away = _on_segment(corners[n, 0], corners[n, 1], x, y, z, bary)
                    else:
                        away = _on_triangle(corners[n, 0], corners[n, 1], corners[n, 2], x, y, z, bary)
                    if away < best or (away == best and item < nearest[q]):
                        best = away
                        nearest[q] = item
                        for k in range(3):
                            barys[q, k] = bary[k]
                continue
            left = 2 * node + 1
            # The nearer child is looked at first.
            is_left = _box_distance(boxes[left], x, y, z) <= _box_distance(boxes[left + 1], x, y, z)
            stack[depth] = left + 1 if is_left else left
            stack[depth + 1] = left if is_left else left + 1
            depth += 2
        distances[q] = np.sqrt(best)


@exact_kernel
def _on_items(queries, points, items, chosen, barys, distances):
    """The nearest place to each point on an item of its own."""
    bary = np.empty(3, D)
    for q in range(len(queries)):
        x, y, z = D(queries[q, 0]), D(queries[q, 1]), D(queries[q, 2])
        item = items[chosen[q]]
        if len(item) == 2:
            away = _on_segment(points[item[0]], points[item[1]], x, y, z, bary)
        else:
            away = _on_triangle(points[item[0]], points[item[1]], points[item[2]], x, y, z, bary)
        for k in range(3):
            barys[q, k] = bary[k]
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
    points, items, order, boxes, first_leaf, _ = within
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
            for n in range(leaf * LEAF, min((leaf + 1) * LEAF, len(order))):
                item = items[order[n]]
                t, u, v = _through(points, item, x, y, z, way[0], way[1], way[2])
                count += u >= 0 and v >= 0 and u + v <= 1 and t > 0
        out[q] = count


@exact_kernel
def _struck(queries, way, within, nearest, barys, distances):
    """The nearest triangle on the line through each point, before or behind; distances along the way, inf if none."""
    points, items, order, boxes, first_leaf, _ = within
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
            for n in range(leaf * LEAF, min((leaf + 1) * LEAF, len(order))):
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
    points, items, order, boxes, first_leaf, _ = within
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
            for n in range(leaf * LEAF, min((leaf + 1) * LEAF, len(order))):
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
        low = middles.min(axis=0) if count else np.zeros(3)
        extent = middles.max(axis=0) - low if count else np.ones(3)
        codes = np.empty(count, np.int64)
        scale = 0x1FFFFF / np.maximum(extent, 1e-30)
        in_slices(lambda a, b: _codes(middles, low, scale, a, b, codes), count)
        self.order = frozen(np.argsort(codes, kind="stable"), np.int32)
        self.corners = frozen(self.points[self.items[self.order]])
        leaves = 1
        while leaves * LEAF < count:
            leaves *= 2
        self.first_leaf = leaves - 1
        self.boxes = np.empty((2 * leaves - 1, 6))
        _leaf_boxes(self.points, self.items, self.order, self.first_leaf, self.boxes)
        _inner_boxes(self.first_leaf, self.boxes)

    @property
    def own_bytes(self) -> int:
        return sum(array.nbytes for array in (self.points, self.items, self.order, self.boxes, self.corners))

    @property
    def _boxed(self) -> _Boxed:
        return _Boxed(self.points, self.items, self.order, self.boxes, self.first_leaf, self.corners)

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
        in_slices(
            lambda a, b: _closest(queries[a:b], self._boxed, known[a:b], nearest[a:b], barys[a:b], distances[a:b]),
            len(queries),
            SLICE,
        )
        return nearest, barys, distances

    def on_items(self, queries, chosen) -> tuple[np.ndarray, np.ndarray]:
        """Return (Q, 3) float64 barycentrics of the nearest places to (Q, 3) points on an item of each, and how far."""
        queries, chosen = frozen(queries), frozen(chosen, np.int32)
        barys, distances = np.empty((len(queries), 3)), np.empty(len(queries))
        in_slices(
            lambda a, b: _on_items(queries[a:b], self.points, self.items, chosen[a:b], barys[a:b], distances[a:b]),
            len(queries),
            SLICE,
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
        in_slices(lambda a, b: _mixed(rows, self.items, chosen[a:b], barys[a:b], out[a:b]), len(chosen), SLICE)
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
