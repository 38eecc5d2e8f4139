"""Polygon meshes. Faces keep their polygons, so that wires show quads and not their diagonals."""

from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np

from ..kernels.compile import frozen
from ..kernels.surface import face_normals, faces_at_points, point_normals


@dataclass(frozen=True, eq=False)
class Topology:
    """How points are joined: face f has the corners offsets[f] to offsets[f + 1].

    offsets      (F + 1,) int32
    corners      (C,) int32, indices of points, counter-clockwise seen from outside
    point_count  V
    """

    offsets: np.ndarray
    corners: np.ndarray
    point_count: int
    key: str = ""

    def __post_init__(self):
        object.__setattr__(self, "offsets", frozen(self.offsets, np.int32))
        object.__setattr__(self, "corners", frozen(self.corners, np.int32))

    @classmethod
    def of_faces(cls, faces, point_count: int) -> "Topology":
        """Make a topology of an (F, K) array of faces that all have K corners."""
        faces = np.asarray(faces, np.int32)
        return cls(np.arange(len(faces) + 1, dtype=np.int32) * faces.shape[1], faces.ravel(), point_count)

    @property
    def face_count(self) -> int:
        return len(self.offsets) - 1

    @cached_property
    def sizes(self) -> np.ndarray:
        """(F,) number of corners of each face."""
        return np.diff(self.offsets)

    @cached_property
    def triangle_faces(self) -> np.ndarray:
        """(T,) int32: the face that each triangle is a part of."""
        return frozen(np.repeat(np.arange(self.face_count, dtype=np.int32), np.maximum(self.sizes - 2, 0)), np.int32)

    @cached_property
    def triangles(self) -> np.ndarray:
        """(T, 3) int32: the faces cut into fans from their first corners."""
        counts = np.maximum(self.sizes - 2, 0)
        first = np.repeat(self.offsets[:-1], counts)
        starts = np.cumsum(counts) - counts
        step = np.arange(counts.sum(), dtype=np.int32) - np.repeat(starts, counts).astype(np.int32)
        picks = np.stack([first, first + step + 1, first + step + 2], axis=1)
        return frozen(self.corners[picks], np.int32)

    @cached_property
    def half_edges(self) -> np.ndarray:
        """(C, 2) int32: from each corner to the next one of its face."""
        following = np.arange(1, len(self.corners) + 1)
        ends = self.offsets[1:][self.sizes > 0] - 1
        following[ends] = self.offsets[:-1][self.sizes > 0]
        return frozen(np.stack([self.corners, self.corners[following]], axis=1), np.int32)

    @cached_property
    def edges(self) -> np.ndarray:
        """(E, 2) int32: each edge of the polygons once, lower point first."""
        if not len(self.corners):
            return frozen(np.zeros((0, 2)), np.int32)
        low_high = np.sort(self.half_edges, axis=1).astype(np.int64)
        packed = np.unique(low_high[:, 0] * self.point_count + low_high[:, 1])
        return frozen(np.stack([packed // self.point_count, packed % self.point_count], axis=1), np.int32)

    @cached_property
    def is_closed(self) -> bool:
        """True if every edge is walked once each way, so that the mesh has an inside."""
        if not len(self.corners):
            return False
        ways = self.half_edges.astype(np.int64)
        there = np.sort(ways[:, 0] * self.point_count + ways[:, 1])
        back = np.sort(ways[:, 1] * self.point_count + ways[:, 0])
        return bool(np.array_equal(there, back) and np.all(np.diff(there) > 0))

    @cached_property
    def uses(self) -> tuple[np.ndarray, np.ndarray]:
        """(V + 1,) offsets and the faces at each point."""
        return faces_at_points(self.point_count, self.offsets, self.corners)


@dataclass(frozen=True, eq=False)
class Mesh:
    """Points joined by a topology.

    points   (V, 3) float32, scene units
    colours  (V, 3) float32 linear, or None
    uvs      (V, 2) float32 in 0..1, or None
    is_flat  True if faces are drawn with their own normals, as those of a box
    key      names the contents; equal keys mean equal bytes
    """

    points: np.ndarray
    topology: Topology
    colours: np.ndarray | None = None
    uvs: np.ndarray | None = None
    is_flat: bool = False
    key: str = ""
    known_normals: np.ndarray | None = field(default=None, repr=False)

    def __post_init__(self):
        object.__setattr__(self, "points", frozen(self.points))
        if len(self.points) != self.topology.point_count:
            raise ValueError(f"{len(self.points)} points for a topology of {self.topology.point_count}")
        for name in ("colours", "uvs", "known_normals"):
            if getattr(self, name) is not None:
                object.__setattr__(self, name, frozen(getattr(self, name)))

    @classmethod
    def empty(cls) -> "Mesh":
        return cls(np.zeros((0, 3)), Topology(np.zeros(1), np.zeros(0), 0))

    @cached_property
    def face_vectors(self) -> np.ndarray:
        """(F, 3) float32: normals as long as twice the area of each face."""
        return frozen(face_normals(self.points, self.topology.offsets, self.topology.corners))

    @cached_property
    def normals(self) -> np.ndarray:
        """(V, 3) float32 unit normals of the points."""
        if self.known_normals is not None:
            return self.known_normals
        return frozen(point_normals(self.face_vectors, *self.topology.uses))

    @cached_property
    def bounds(self) -> tuple[np.ndarray, np.ndarray]:
        """Lowest and highest corner, (3,) each; zeros for a mesh without points."""
        if not len(self.points):
            return np.zeros(3, np.float32), np.zeros(3, np.float32)
        return self.points.min(axis=0), self.points.max(axis=0)

    def with_points(self, points, normals=None) -> "Mesh":
        """Return the same faces over other points."""
        return replace(self, points=points, known_normals=normals, key="")
