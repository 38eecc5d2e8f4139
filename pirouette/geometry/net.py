"""Links between points that are near each other, and the triangles among them."""

import numpy as np

# scipy loads its parts when they are first used.
import scipy

from ..kernels.geometry.links import in_order, pairs_within, taken

# So many times as many neighbours as links are looked at for each point, at first and at most.
LOOKED_AT = (4, 64)
# So many pairs are looked at all together.
MOST_PAIRS = 4_000_000


def net(points, reach: float, most: int) -> tuple[np.ndarray, np.ndarray]:
    """Return links (E, 2) between points (N, 3), lower number first, and their lengths (E,).

    reach  no link is as long as this
    most   links at each point; the shortest are taken first
    """
    count = len(points)
    if count < 2 or reach <= 0 or most < 1:
        return np.zeros((0, 2), np.int64), np.zeros(0)
    points = np.asarray(points, np.float64)
    near = pairs_within(points, reach, MOST_PAIRS)
    if near is not None:
        return _taken(*near, count, most)
    tree, looked_at = scipy.spatial.cKDTree(points), LOOKED_AT[0] * most
    while True:
        looked_at = min(count, looked_at)
        distances, others = tree.query(points, k=looked_at, distance_upper_bound=reach)
        ends, lengths = _shortest(distances, others, count, most)
        # A point with room left may have more neighbours than were looked at.
        has_room = np.bincount(ends.reshape(-1), minlength=count) < most
        if looked_at >= min(count, LOOKED_AT[1] * most) or not (has_room & np.isfinite(distances[:, -1])).any():
            return ends, lengths
        looked_at *= 2


def _shortest(distances, others, count, most):
    """Links to the neighbours (N, K) of each point, the shortest first, and their lengths."""
    own = np.repeat(np.arange(count), others.shape[1])
    others, distances = others.reshape(-1), distances.reshape(-1)
    is_link = (others < count) & (others != own)
    low, high = np.minimum(own, others)[is_link], np.maximum(own, others)[is_link]
    packed, first = np.unique(low * count + high, return_index=True)
    return _taken(np.stack([packed // count, packed % count], axis=1), distances[is_link][first], count, most)


def _taken(ends, lengths, count, most):
    """Of links in the order of their ends those that are taken, and their lengths, the shortest first."""
    order = in_order(lengths)
    ends, lengths = ends[order], lengths[order]
    keep = taken(ends, count, most)
    return ends[keep], lengths[keep]


def triangles_among(ends, count: int) -> np.ndarray:
    """Return (T, 3) links' numbers: each three that join the same three points, once."""
    if not len(ends):
        return np.zeros((0, 3), np.int64)
    number = scipy.sparse.coo_matrix((np.arange(len(ends)) + 1, (ends[:, 0], ends[:, 1])), (count, count)).tocsr()
    # From each link a-b, all links b-c; those that close by a link a-c are triangles, found once as a < b < c.
    starts, stops = number.indptr[ends[:, 1]], number.indptr[ends[:, 1] + 1]
    sizes = stops - starts
    one = np.repeat(np.arange(len(ends)), sizes)
    at = np.arange(sizes.sum()) - np.repeat(np.cumsum(sizes) - sizes, sizes) + np.repeat(starts, sizes)
    if not len(at):
        return np.zeros((0, 3), np.int64)
    two, c = number.data[at] - 1, number.indices[at]
    three = np.asarray(number[ends[one, 0], c]).reshape(-1) - 1
    found = three >= 0
    return np.stack([one[found], two[found], three[found]], axis=1)
