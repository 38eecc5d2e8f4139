"""Cuts triangles into clusters of at most 128, each with a few points of its own, a ball and a normal cone around it.

The renderer drops whole clusters that are out of sight and transforms each cluster's points once.
"""

import numpy as np

from ..compile import frozen, kernel
from ..geometry.surface import faces_at_points
from ..threads import in_slices
from ..types import F

MAX_TRIANGLES = 128
MAX_MEMBERS = 255
FEWEST_TRIANGLES = 16  # on average
# So often may each point be a member, on average, of clusters that are cut as the list goes.
MOST_SHARED = 3


@kernel
def _cut(triangles, starts, uses, order, local, members, member_offsets, triangle_offsets):
    """Fill clusters one after the other; returns how many there are.

    Each grows in all directions from a triangle beside the one before, so that it is about as wide as it is high.
    Where nothing is left beside it, it goes on only with what follows in the list, as pieces of a shattered form do:
    corners that other clusters left over may lie anywhere. If that makes too many clusters, it goes on all the same.

    starts, uses  the triangles at each point: uses[starts[p] : starts[p + 1]]
    order         (T,) to fill: the triangles of the clusters, cluster after cluster
    """
    total = len(triangles)
    seen_in = np.full(len(starts) - 1, -1, np.int32)
    slot = np.zeros(len(starts) - 1, np.uint8)
    asked_by = np.full(total, -1, np.int32)
    is_taken = np.zeros(total, np.bool_)
    queue = np.empty(total, np.int32)
    head = 0
    tail = 0
    cluster = 0
    first = 0
    placed = 0
    local_count = 0
    member_count = 0
    untouched = 0
    highest = -1
    while placed < total:
        is_apart = False
        if head < tail:
            t = queue[head]
            head += 1
            if is_taken[t]:
                continue
        else:
            while is_taken[untouched]:
                untouched += 1
            t = untouched
            is_apart = t != highest + 1 and placed > cluster * FEWEST_TRIANGLES
        fresh = 0
        for k in range(3):
            fresh += seen_in[triangles[t, k]] != cluster
        if placed > first and (is_apart or placed - first >= MAX_TRIANGLES or local_count + fresh > MAX_MEMBERS):
            cluster += 1
            triangle_offsets[cluster] = placed
            member_offsets[cluster] = member_count
            first = placed
            local_count = 0
            head = 0
            tail = 0
            highest = -1
        is_taken[t] = True
        highest = max(highest, t)
        order[placed] = t
        for k in range(3):
            p = triangles[t, k]
            if seen_in[p] != cluster:
                seen_in[p] = cluster
                slot[p] = local_count
                local_count += 1
                members[member_count] = p
                member_count += 1
            local[k, placed] = slot[p]
            for u in range(starts[p], starts[p + 1]):
                other = uses[u]
                if not is_taken[other] and asked_by[other] != cluster:
                    asked_by[other] = cluster
                    queue[tail] = other
                    tail += 1
        placed += 1
    triangle_offsets[cluster + 1] = placed
    member_offsets[cluster + 1] = member_count
    return cluster + 1


@kernel
def _cut_in_a_row(triangles, point_count, local, members, member_offsets, triangle_offsets):
    """Fill clusters with what follows in the list, as `_cut` does otherwise; returns how many there are."""
    seen_in = np.full(point_count, -1, np.int32)
    slot = np.zeros(point_count, np.uint8)
    cluster = 0
    first = 0
    local_count = 0
    member_count = 0
    for t in range(len(triangles)):
        fresh = 0
        for k in range(3):
            fresh += seen_in[triangles[t, k]] != cluster
        if t - first >= MAX_TRIANGLES or local_count + fresh > MAX_MEMBERS:
            cluster += 1
            triangle_offsets[cluster] = t
            member_offsets[cluster] = member_count
            first = t
            local_count = 0
        for k in range(3):
            p = triangles[t, k]
            if seen_in[p] != cluster:
                seen_in[p] = cluster
                slot[p] = local_count
                local_count += 1
                members[member_count] = p
                member_count += 1
            local[k, t] = slot[p]
    triangle_offsets[cluster + 1] = len(triangles)
    member_offsets[cluster + 1] = member_count
    return cluster + 1


@kernel
def _enclose(points, triangles, members, member_offsets, triangle_offsets, start, stop, balls, cones):
    for c in range(start, stop):
        low = np.full(3, F(1e30))
        high = np.full(3, F(-1e30))
        for m in range(member_offsets[c], member_offsets[c + 1]):
            for k in range(3):
                value = points[members[m], k]
                low[k] = min(low[k], value)
                high[k] = max(high[k], value)
        middle = (low + high) * F(0.5)
        reach = F(0.0)
        for m in range(member_offsets[c], member_offsets[c + 1]):
            dx = points[members[m], 0] - middle[0]
            dy = points[members[m], 1] - middle[1]
            dz = points[members[m], 2] - middle[2]
            reach = max(reach, dx * dx + dy * dy + dz * dz)
        balls[c, 0] = middle[0]
        balls[c, 1] = middle[1]
        balls[c, 2] = middle[2]
        balls[c, 3] = np.sqrt(reach) * F(1.0001)

        axis = np.zeros(3, F)
        first = triangle_offsets[c]
        last = triangle_offsets[c + 1]
        normals = np.zeros((last - first, 3), F)
        for t in range(first, last):
            a = triangles[t, 0]
            b = triangles[t, 1]
            d = triangles[t, 2]
            ux = points[b, 0] - points[a, 0]
            uy = points[b, 1] - points[a, 1]
            uz = points[b, 2] - points[a, 2]
            vx = points[d, 0] - points[a, 0]
            vy = points[d, 1] - points[a, 1]
            vz = points[d, 2] - points[a, 2]
            nx = uy * vz - uz * vy
            ny = uz * vx - ux * vz
            nz = ux * vy - uy * vx
            size = np.sqrt(nx * nx + ny * ny + nz * nz)
            if size > F(0.0):
                normals[t - first, 0] = nx / size
                normals[t - first, 1] = ny / size
                normals[t - first, 2] = nz / size
            for k in range(3):
                axis[k] += normals[t - first, k]
        size = np.sqrt(axis[0] * axis[0] + axis[1] * axis[1] + axis[2] * axis[2])
        widest = F(-1.0)
        if size > F(1e-6):
            axis /= size
            widest = F(1.0)
            for t in range(last - first):
                widest = min(widest, axis[0] * normals[t, 0] + axis[1] * normals[t, 1] + axis[2] * normals[t, 2])
        for k in range(3):
            cones[c, k] = axis[k]
        # A cone wider than a half-space can never be seen from behind as a whole: 2 switches the test off.
        cones[c, 3] = np.sqrt(F(1.0) - widest * widest) if widest > F(0.05) else F(2.0)


@kernel
def _pick_rows(rows, index, start, stop, out):
    for i in range(start, stop):
        p = index[i]
        out[i, 0] = rows[p, 0]
        out[i, 1] = rows[p, 1]
        out[i, 2] = rows[p, 2]


def pick_rows(rows, index) -> np.ndarray:
    """Return (M, 3) float32: the rows of an (N, 3) array at an (M,) index."""
    rows = frozen(rows)
    out = np.empty((len(index), 3), F)
    in_slices(lambda a, b: _pick_rows(rows, index, a, b, out), len(index))
    return out


@kernel
def _pick_places(places, corners, order, start, stop, out):
    size = places.shape[1]
    for t in range(start, stop):
        for k in range(3):
            c = corners[order[t], k]
            for side in range(size):
                out[t, size * k + side] = places[c, side]


def pick_places(places, corners, order, width) -> np.ndarray:
    """Return (T, width) float32: the (C, K) places of the (T, 3) corners of triangles in some order, then zeros."""
    places, corners = frozen(places), frozen(corners, np.int32)
    out = np.zeros((len(order), width), F)
    in_slices(lambda a, b: _pick_places(places, corners, order, a, b, out), len(order))
    return out


class Clusters:
    """The clusters of one list of triangles.

    is_quick          what the list has beside each other stays together: soon cut, but hiding less from each other;
                      not if the list jumps to and fro
    order             (T,) int32, which triangles the clusters hold, cluster after cluster
    triangles         (T, 3) int32, their corners in that order
    local             (3, T) uint8, the same as places within their cluster's members
    members           (M,) int32, points of the clusters, cluster after cluster
    member_offsets    (C + 1,) int32
    triangle_offsets  (C + 1,) int32
    """

    def __init__(self, triangles, point_count, is_quick=False):
        triangles = frozen(triangles, np.int32)
        count = len(triangles)
        order = np.arange(count, dtype=np.int32)
        local = np.zeros((3, count), np.uint8)
        members = np.zeros(count * 3, np.int32)
        bounds = np.zeros((2, count + 2), np.int32)
        self.count, is_in_a_row = 0, False
        if count and is_quick:
            self.count = _cut_in_a_row(triangles, point_count, local, members, *bounds)
            is_in_a_row = bounds[0, self.count] <= MOST_SHARED * point_count
        if count and not is_in_a_row:
            starts, uses = faces_at_points(point_count, np.arange(0, 3 * count + 1, 3), triangles.ravel())
            self.count = _cut(
                triangles, frozen(starts, np.int32), frozen(uses, np.int32), order, local, members, bounds[0], bounds[1]
            )
        self.order = frozen(order, np.int32)
        self.triangles = triangles if is_in_a_row else frozen(triangles[order], np.int32)
        self.local = frozen(local, np.uint8)
        self.member_offsets = frozen(bounds[0, : self.count + 1], np.int32)
        self.triangle_offsets = frozen(bounds[1, : self.count + 1], np.int32)
        self.members = frozen(members[: self.member_offsets[-1]], np.int32)

    @property
    def own_bytes(self) -> int:
        """Bytes of its arrays."""
        return self.order.nbytes + self.triangles.nbytes + self.local.nbytes + self.members.nbytes

    def enclose(self, points) -> tuple[np.ndarray, np.ndarray]:
        """Return (C, 4) balls (middle, radius) and (C, 4) cones (axis, sine of the half angle; 2 for none)."""
        points = frozen(points)
        balls = np.zeros((self.count, 4), F)
        cones = np.zeros((self.count, 4), F)
        in_slices(
            lambda a, b: _enclose(
                points,
                self.triangles,
                self.members,
                self.member_offsets,
                self.triangle_offsets,
                a,
                b,
                balls,
                cones,
            ),
            self.count,
            512,
        )
        return balls, cones
