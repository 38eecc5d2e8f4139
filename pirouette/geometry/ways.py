"""The ways that points have gone, as curves."""

import numpy as np

from ..data.attribute import ATTRIBUTES, NEAREST, Attributes
from ..data.mesh import Mesh, Topology, shares_along

# However near to each other points are to be, there are no more of them for each one that there was.
MOST_BETWEEN = 4
# So far apart do ways lie whose shares of 0 to 1 stand in one row.
GAP = 2.0
NO_LENGTH = 1e-12


def ways(frames, places, carried: Attributes, is_closed: bool, spacing: float = 0.0) -> Mesh:
    """Return one curve for each point, from where it was first to where it is now.

    frames     (T,) how many frames ago each moment was, the present one first
    places     (T, N, 3) of the points then, with nan where one was not there
    carried    what the points carry now
    is_closed  whether each way ends where it began
    spacing    how far apart points are to be along it; 0 leaves them where they were
    """
    frames, places = np.asarray(frames, np.float64)[::-1], np.asarray(places, np.float64)[::-1]
    there = np.isfinite(places).all(axis=2)
    kept = np.flatnonzero(there.sum(axis=0) >= 2)
    if not len(kept):
        return Mesh.empty()
    sizes = there[:, kept].sum(axis=0)
    # A curve's points in a row, one curve after the other.
    curve, time = np.nonzero(there[:, kept].T)
    points, age = places[time, kept[curve]], frames[time]
    if spacing > 0:
        points, age, sizes = _evenly(points, age, sizes, is_closed, spacing)
        curve = np.repeat(np.arange(len(sizes)), sizes)
    topology = Topology.of_lines(sizes, np.full(len(sizes), is_closed))
    own = {
        name: array[kept][curve]
        for name, array in carried.items()
        if ATTRIBUTES[name].mixes == NEAREST or name in ("order", "width")
    }
    along = shares_along(points.astype(np.float32), topology.lines)
    return Mesh(points, topology, at_points=Attributes({**own, "along": along, "age": age}))


def _evenly(points, age, sizes, is_closed, spacing):
    """Lay points evenly along all ways at once: (M, 3) places, (M,) ages and the number on each way."""
    corner, each = _corners(sizes, is_closed)
    way = np.repeat(np.arange(len(each)), each)
    first = np.cumsum(each) - each
    at, age = points[corner], age[corner]
    steps = np.concatenate([[0], np.linalg.norm(np.diff(at, axis=0), axis=1)])
    # From one way to the next there is none.
    steps[first] = 0
    gone = np.cumsum(steps)
    lengths = gone[first + each - 1] - gone[first]
    most = MOST_BETWEEN * sizes
    counts = np.maximum(np.minimum(np.ceil(lengths / spacing) + (not is_closed), most), 2).astype(np.int64)
    wanted = np.repeat(np.arange(len(counts)), counts)
    place = np.arange(len(wanted)) - np.repeat(np.cumsum(counts) - counts, counts)
    # A way without a length has all its points at its beginning.
    place = place / np.repeat(counts if is_closed else counts - 1, counts) * (lengths >= NO_LENGTH)[wanted]
    # Shares of each way, in one row of numbers: between two ways there is a gap.
    shares = (gone - gone[first][way]) / np.maximum(lengths, NO_LENGTH)[way] + GAP * way
    columns = [np.interp(place + GAP * wanted, shares, column) for column in (*at.T, age)]
    return np.stack(columns[:3], axis=1), columns[3], counts


def _corners(sizes, is_closed) -> tuple[np.ndarray, np.ndarray]:
    """The points of all ways in order, the first again at the end of closed ones; and how many each way has of them."""
    each = sizes + bool(is_closed)
    ends = np.cumsum(each)
    corner = np.arange(ends[-1]) - np.repeat(np.arange(len(sizes)) * bool(is_closed), each)
    if is_closed:
        corner[ends - 1] -= sizes
    return corner, each
