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
    # Points in one place are one, and faces without an area join nothing: forms double points where they are creased.
    point, place = welded(mesh.points)
    area = np.linalg.norm(mesh.face_vectors, axis=1)
    ways = np.sort(place[topology.half_edges], axis=1).astype(np.int64)
    face = np.repeat(np.arange(topology.face_count), topology.sizes)
    counts = (area > area.max() * 1e-7)[face] & (ways[:, 0] != ways[:, 1])
    ways, face = ways[counts], face[counts]
    if not len(ways):
        return topology.face_edges[:0]
    packed, edge, uses = np.unique(ways[:, 0] * len(point) + ways[:, 1], return_inverse=True, return_counts=True)
    order = np.argsort(edge, kind="stable")
    first = np.cumsum(uses) - uses
    normals = unit_rows(mesh.face_vectors)
    one = normals[face[order[first]]]
    other = normals[face[order[first + np.minimum(uses, 2) - 1]]]
    is_sharp = (uses > 2) | ((uses == 2) & ((one * other).sum(axis=1) <= np.cos(angle)))
    chosen = {"borders": uses == 1, "sharp ones": is_sharp}.get(which, (uses == 1) | is_sharp)
    packed = packed[chosen]
    return point[np.stack([packed // len(point), packed % len(point)], axis=1)]


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
