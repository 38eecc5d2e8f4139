"""The parts of a mesh that hang together."""

import numpy as np

# scipy loads its parts when they are first used.
import scipy

from ..data.mesh import Lines, Mesh, Topology
from .weld import welded


def pieces_of(mesh: Mesh) -> np.ndarray:
    """Return (V,) int64: which part each point belongs to; parts are counted from 0 in the order of their points.

    Points are of one part if faces or curves join them, or, where the attribute `piece` is known, if it is the same.
    """
    known = mesh.attributes().get("piece")
    if known is not None:
        part = np.unique(known, return_inverse=True)[1].reshape(-1)
    else:
        part = _hanging_together(mesh.topology, np.arange(len(mesh.points)))
    return _in_order(part)


def parted(mesh: Mesh) -> list[Mesh]:
    """Return each piece of a mesh alone, single points too; points in one place hang together."""
    topology, place = mesh.topology, welded(mesh.points)[1]
    part = _in_order(_hanging_together(topology, place)[place])
    count = int(part.max(initial=-1)) + 1
    if count <= 1:
        return [mesh]
    order = np.argsort(part, kind="stable")
    firsts = np.searchsorted(part[order], np.arange(count + 1))
    within = np.empty(len(part), np.int64)
    within[order] = np.arange(len(part)) - firsts[part[order]]
    faces = _runs(topology.offsets, topology.corners, part, count)
    lines = topology.lines
    curves = [None] * count if lines is None else _runs(lines.offsets, lines.corners, part, count)
    made = []
    for number in range(count):
        face, offsets, corners = faces[number]
        own = None
        if curves[number] is not None and len(curves[number][0]):
            curve, line_offsets, line_corners = curves[number]
            own = Lines(line_offsets, within[line_corners], lines.closed[curve])
        points = order[firsts[number] : firsts[number + 1]]
        made.append(mesh.gathered(points, Topology(offsets, within[corners], len(points), lines=own), faces=face))
    return made


def _runs(offsets, corners, part, count):
    """For each part which faces or curves are its, and their offsets and corners; empty ones are left out."""
    sizes = np.diff(offsets)
    real = np.flatnonzero(sizes > 0)
    of = part[corners[offsets[real]]]
    order = real[np.argsort(of, kind="stable")]
    bounds = np.searchsorted(np.sort(of), np.arange(count + 1))
    found = []
    for number in range(count):
        mine = order[bounds[number] : bounds[number + 1]]
        inner = np.concatenate([[0], np.cumsum(sizes[mine])]).astype(np.int64)
        at = np.arange(inner[-1]) - np.repeat(inner[:-1] - offsets[mine], sizes[mine])
        found.append((mine, inner, corners[at]))
    return found


def _hanging_together(topology, place) -> np.ndarray:
    """(count,) a number for each place, the same where faces or curves join them; place (V,) of each point."""
    ways = topology.half_edges
    if topology.lines is not None:
        ways = np.concatenate([ways, topology.lines.segments])
    ways, count = place[ways], int(place.max(initial=-1)) + 1
    graph = scipy.sparse.coo_matrix((np.ones(len(ways), np.int8), (ways[:, 0], ways[:, 1])), (count, count))
    return scipy.sparse.csgraph.connected_components(graph, directed=False)[1]


def _in_order(part):
    """Parts numbered from 0 in the order of their first members."""
    _, first, part = np.unique(part, return_index=True, return_inverse=True)
    number = np.empty(len(first), np.int64)
    number[np.argsort(first, kind="stable")] = np.arange(len(first))
    return number[part.reshape(-1)]


def means(values, part, count: int) -> np.ndarray:
    """Return (count, K) the mean of rows (V, K) over each part."""
    sums = np.stack([np.bincount(part, column, count) for column in np.asarray(values, np.float64).T], axis=1)
    return sums / np.maximum(np.bincount(part, minlength=count), 1)[:, None]
