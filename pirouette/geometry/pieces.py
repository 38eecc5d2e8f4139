"""The parts of a mesh that hang together."""

import numpy as np

# scipy loads its parts when they are first used.
import scipy

from ..data.mesh import Mesh


def pieces_of(mesh: Mesh) -> np.ndarray:
    """Return (V,) int64: which part each point belongs to; parts are counted from 0 in the order of their points.

    Points are of one part if faces or curves join them, or, where the attribute `piece` is known, if it is the same.
    """
    count, topology = len(mesh.points), mesh.topology
    known = mesh.attributes().get("piece")
    if known is not None:
        part = np.unique(known, return_inverse=True)[1].reshape(-1)
    else:
        ways = topology.half_edges
        if topology.lines is not None:
            ways = np.concatenate([ways, topology.lines.segments])
        graph = scipy.sparse.coo_matrix((np.ones(len(ways), np.int8), (ways[:, 0], ways[:, 1])), (count, count))
        part = scipy.sparse.csgraph.connected_components(graph, directed=False)[1]
    _, first, part = np.unique(part, return_index=True, return_inverse=True)
    number = np.empty(len(first), np.int64)
    number[np.argsort(first, kind="stable")] = np.arange(len(first))
    return number[part.reshape(-1)]


def means(values, part, count: int) -> np.ndarray:
    """Return (count, K) the mean of rows (V, K) over each part."""
    sums = np.stack([np.bincount(part, column, count) for column in np.asarray(values, np.float64).T], axis=1)
    return sums / np.maximum(np.bincount(part, minlength=count), 1)[:, None]
