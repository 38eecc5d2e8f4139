"""Which points of a mesh are joined to which, over creases too."""

from dataclasses import dataclass, replace

import numpy as np

from ..data.bytes import arrays_in
from ..data.mesh import Mesh
from ..kernels.geometry.place import unit_rows
from .weld import welded

# Half of the angle from which on an edge looks like one.
CREASE_COSINE = np.cos(np.radians(18))


@dataclass(frozen=True, eq=False)
class Neighbours:
    """Places of a mesh and how they are joined by its faces' edges and its curves.

    first    (W,) the first point in each place
    place    (V,) which place each point is in
    offsets, others  (W + 1,) and (N,) the places beside each
    is_rim   (W,) whether a surface or a curve ends there
    """

    first: np.ndarray
    place: np.ndarray
    offsets: np.ndarray
    others: np.ndarray
    is_rim: np.ndarray

    @property
    def own_bytes(self) -> int:
        return arrays_in(self)


def neighbours(mesh: Mesh) -> Neighbours:
    """Return the neighbours of the places of a mesh; points in one place count as one."""
    first, place = welded(mesh.points)
    if len(first) < len(mesh.points):
        return _joined(mesh.topology, first, place)
    # Where each point has a place of its own, they follow from the topology alone.
    kept = mesh.topology.derived
    if "neighbours" not in kept:
        kept["neighbours"] = _joined(mesh.topology, first, place)
    return kept["neighbours"]


def _joined(topology, first, place) -> Neighbours:
    count = len(first)
    ways = place[topology.half_edges]
    if topology.lines is not None:
        ways = np.concatenate([ways, place[topology.lines.segments], place[topology.lines.segments]])
    ways = ways[ways[:, 0] != ways[:, 1]]
    low, high = np.minimum(ways[:, 0], ways[:, 1]), np.maximum(ways[:, 0], ways[:, 1])
    packed, uses = np.unique(low * count + high, return_counts=True)
    a, b = packed // count, packed % count
    ends = np.concatenate([a, b])
    order = np.argsort(ends, kind="stable")
    offsets = np.concatenate([[0], np.cumsum(np.bincount(ends, minlength=count))])
    is_rim = np.zeros(count, bool)
    # An edge of one face is a border; a segment of a curve counts twice, so only its loose ends are found below.
    is_rim[a[uses == 1]] = is_rim[b[uses == 1]] = True
    lines = topology.lines
    if lines is not None:
        loose = ~lines.closed & (lines.sizes > 0)
        is_rim[place[lines.corners[lines.offsets[:-1][loose]]]] = True
        is_rim[place[lines.corners[lines.offsets[1:][loose] - 1]]] = True
    return Neighbours(first, place, offsets, np.concatenate([b, a])[order], is_rim)


def smoothed_creases(mesh: Mesh, around: Neighbours) -> Mesh:
    """Return a mesh whose points in one place have one normal wherever theirs differ by less than a crease does."""
    count = len(around.first)
    sums = np.stack([np.bincount(around.place, side, count) for side in mesh.normals.T], axis=1)
    mean = unit_rows(sums).astype(np.float32)[around.place]
    is_smooth = np.ones(count, bool)
    is_smooth[around.place[(mean * mesh.normals).sum(axis=1) < CREASE_COSINE]] = False
    return replace(mesh, known_normals=np.where(is_smooth[around.place][:, None], mean, mesh.normals))
