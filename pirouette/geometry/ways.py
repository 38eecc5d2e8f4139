"""The ways that points have gone, as curves."""

import numpy as np

from ..data.attribute import ATTRIBUTES, NEAREST, Attributes
from ..data.mesh import Mesh, Topology, shares_along

# However near to each other points are to be, there are no more of them for each one that there was.
MOST_BETWEEN = 4
# So far apart do ways lie whose shares of 0 to 1 stand in one row.
GAP = 2.0
NO_LENGTH = 1e-12


def same_points(now, then, frames: float) -> np.ndarray:
    """Return for each of N points which one it was so many frames before, (N,), -1 where it was not there yet.

    now, then  the attributes of points at both times, a `seed` and an `age` among them, by which they are known
    """
    if not len(then["seed"]):
        return np.full(len(now["seed"]), -1)
    age = now["age"].astype(np.float64) - frames
    # Sorted by both, as two numbers in one: no age is so great.
    far = 1e6
    names = then["seed"].astype(np.float64) * far + then["age"]
    order = np.argsort(names, kind="stable")
    sought = now["seed"].astype(np.float64) * far + age
    after = np.searchsorted(names[order], sought - 0.5)
    found = order[np.minimum(after, len(names) - 1)]
    is_same = (after < len(names)) & (np.abs(names[found] - sought) < 0.5) & (age > -1e-3)
    return np.where(is_same, found, -1)


def ways(times, is_closed: bool, spacing: float = 0.0) -> Mesh:
    """Return one curve for each point, from where it was first to where it is now.

    times      of (T) moments, the present one first, each of: frames since then; (N, 3) places, with nan where a point
               was not there; and attributes of the points, or None for those of the present
    is_closed  whether each way ends where it began
    spacing    how far apart points are to be along it; 0 leaves them where they were
    """
    frames = np.array([time for time, _, _ in times], np.float64)
    places = np.stack([at for _, at, _ in times])[::-1].astype(np.float64)
    frames = frames[::-1]
    there = np.isfinite(places).all(axis=2)
    kept = np.flatnonzero(there.sum(axis=0) >= 2)
    if not len(kept):
        return Mesh.empty()
    carried = times[0][2]
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
