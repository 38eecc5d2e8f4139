"""Edges of faces: where a surface ends or is sharp, and runs of them."""

import numpy as np

from ..kernels.geometry.place import unit_rows
from .weld import welded

WHICH = ("all", "borders", "sharp ones", "borders and sharp ones")


def edges_where(mesh, which: str, angle: float) -> np.ndarray:
    """Return (E, 2) the edges of a mesh's faces, lower point first: "all", "borders", "sharp ones" or both of these.

    angle  between the normals of two faces from which on an edge is sharp, in radians; one at which more than two
           faces meet is sharp
    """
    topology = mesh.topology
    if which == "all" or not topology.face_count:
        return topology.face_edges
    ends, one, other, uses = _sides(mesh)
    normals = unit_rows(mesh.face_vectors)
    is_sharp = (uses > 2) | ((uses == 2) & ((normals[one] * normals[other]).sum(axis=1) <= np.cos(angle)))
    return ends[{"borders": uses == 1, "sharp ones": is_sharp}.get(which, (uses == 1) | is_sharp)]


def edges_where_unlike(mesh, attribute: str, change: float) -> np.ndarray:
    """Return (E, 2) the edges of a mesh's faces between two of which carry unlike values, lower point first.

    attribute  its name; what points carry is taken at the middle of each face; none of a mesh that has none
    change     how much they differ at least; of more than two faces at an edge two are looked at
    """
    values = _of_faces(mesh, attribute)
    if values is None or not mesh.topology.face_count:
        return mesh.topology.face_edges[:0]
    ends, one, other, _ = _sides(mesh)
    steps = np.linalg.norm((values[one] - values[other]).reshape(len(one), -1), axis=1)
    return ends[(steps >= change) & (steps > 0)]


def _sides(mesh):
    """The edges of faces: (E, 2) points, one face and another one (itself at a border) (E,), and at how many they are.

    Points in one place are one, and faces without an area join nothing: forms double points where they are creased.
    """
    topology = mesh.topology
    point, place = welded(mesh.points)
    area = np.linalg.norm(mesh.face_vectors, axis=1)
    ways = np.sort(place[topology.half_edges], axis=1).astype(np.int64)
    face = np.repeat(np.arange(topology.face_count), topology.sizes)
    counts = (area > area.max() * 1e-7)[face] & (ways[:, 0] != ways[:, 1])
    ways, face = ways[counts], face[counts]
    packed, edge, uses = np.unique(ways[:, 0] * len(point) + ways[:, 1], return_inverse=True, return_counts=True)
    order = np.argsort(edge, kind="stable")
    first = np.cumsum(uses) - uses
    ends = point[np.stack([packed // len(point), packed % len(point)], axis=1)]
    return ends, face[order[first]], face[order[first + np.minimum(uses, 2) - 1]], uses


def _of_faces(mesh, attribute):
    """What faces carry (F, …), or the mean of what their corners or points do; None if none of them carries it."""
    topology = mesh.topology
    if attribute in mesh.at_faces:
        return mesh.at_faces[attribute]
    if attribute in mesh.at_corners:
        values = mesh.at_corners[attribute]
    elif attribute in mesh.at_points:
        values = mesh.at_points[attribute][topology.corners]
    else:
        return None
    sums = np.add.reduceat(values.astype(np.float64), topology.offsets[:-1], axis=0) if len(values) else values
    return sums / topology.sizes.reshape(-1, *[1] * (values.ndim - 1))


def chained(ends) -> tuple[list[np.ndarray], list[bool]]:
    """Return runs of points along edges (E, 2), each edge in one of them, and which runs lead back to their beginning.

    A run goes on through points at which two edges meet, and ends at all others.
    """
    around: dict[int, list[int]] = {}
    for number, (a, b) in enumerate(ends.tolist()):
        around.setdefault(a, []).append(number)
        around.setdefault(b, []).append(number)
    used = np.zeros(len(ends), bool)
    runs, closed = [], []

    def walked(point, number):
        run = [point]
        while number is not None:
            used[number] = True
            a, b = ends[number]
            point = int(b if a == point else a)
            run.append(point)
            onwards = [one for one in around[point] if not used[one]]
            number = onwards[0] if len(around[point]) == 2 and onwards else None
        return run

    # Those that begin somewhere come first; what is left leads around.
    for point, numbers in around.items():
        if len(numbers) != 2:
            for number in numbers:
                if not used[number]:
                    runs.append(np.array(walked(point, number)))
                    closed.append(False)
    for number in range(len(ends)):
        if not used[number]:
            run = walked(int(ends[number, 0]), number)
            runs.append(np.array(run[:-1]))
            closed.append(True)
    return runs, closed
