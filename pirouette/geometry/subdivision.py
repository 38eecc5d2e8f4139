"""How the faces of a topology are cut into quads, one for each corner; the same wherever the points are."""

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from ..data.bytes import arrays_in
from ..data.mesh import Mesh, Topology
from ..kernels.compile import frozen
from ..kernels.geometry.refine import refined, refined_places
from ..kernels.geometry.surface import faces_at_points


@dataclass(frozen=True, eq=False)
class Subdivision:
    """What a topology becomes: its points stay, then come the middles of edges, then of faces.

    fine      the Topology of the quads
    offsets   (F + 1,) int32 and `corners`: the faces of before, see Topology
    uses      (V + 1,) offsets and the faces at each point
    ends      (E, 2) int32: the points of each edge
    sides     (E, 2) int32: the faces at each edge, -1 where there are not two
    edges_at  (V + 1,) offsets and the edges at each point
    """

    fine: Topology
    offsets: np.ndarray
    corners: np.ndarray
    uses: tuple[np.ndarray, np.ndarray]
    ends: np.ndarray
    sides: np.ndarray
    edges_at: tuple[np.ndarray, np.ndarray]

    @classmethod
    def of(cls, topology: Topology) -> "Subdivision":
        """Make it anew; see `subdivision_of`."""
        points, faces = topology.point_count, topology.face_count
        low_high = np.sort(topology.half_edges.astype(np.int64), axis=1)
        packed, edge_of_corner = np.unique(low_high[:, 0] * points + low_high[:, 1], return_inverse=True)
        ends = frozen(np.stack([packed // points, packed % points], axis=1), np.int32)
        face_of_corner = np.repeat(np.arange(faces), topology.sizes)
        starts = np.repeat(topology.offsets[:-1], topology.sizes)
        position = np.arange(len(topology.corners)) - starts
        before = edge_of_corner[starts + (position - 1) % np.repeat(topology.sizes, topology.sizes)]
        quads = np.stack(
            [topology.corners, points + edge_of_corner, points + len(ends) + face_of_corner, points + before], axis=1
        )
        fine = Topology.of_faces(quads, points + len(ends) + faces)
        edges_at = faces_at_points(points, 2 * np.arange(len(ends) + 1), ends.reshape(-1))
        # The topology keeps its subdivision; the other way round both would outlive their last use.
        return cls(
            # It is the same for every frame in which the points alone are others, and so is its name.
            replace(fine, lines=topology.lines, key=f"{topology.key}/2" if topology.key else ""),
            topology.offsets,
            topology.corners,
            tuple(frozen(use, np.int32) for use in topology.uses),
            ends,
            frozen(_sides(edge_of_corner, face_of_corner, len(ends)), np.int32),
            tuple(frozen(array, np.int32) for array in edges_at),
        )

    @property
    def own_bytes(self) -> int:
        return arrays_in(self)

    @property
    def parts(self) -> tuple:
        return (self.fine,)

    def mesh(self, mesh: Mesh, weights, is_smooth: bool) -> Mesh:
        """Return the fine mesh, with all that the coarse one carries.

        weights  (V,) how much of the rounding each point gets
        """
        blend = lambda rows: self.refined(rows, weights, False)  # noqa: E731
        nearest = lambda rows: rows[self.nearest]  # noqa: E731
        return Mesh(
            self.refined(mesh.points, weights, is_smooth),
            self.fine,
            colours=None if mesh.colours is None else self.refined(mesh.colours, weights, is_smooth),
            known_uvs=None if mesh.uvs is None else self.refined_places(mesh.uvs),
            opacity=None if mesh.opacity is None else blend(mesh.opacity[:, None])[:, 0],
            is_flat=mesh.is_flat and not is_smooth,
            at_points=mesh.at_points.mapped(blend, nearest),
            at_corners=mesh.at_corners.gathered(np.repeat(np.arange(len(self.corners)), 4)),
            at_faces=mesh.at_faces.gathered(self.face_of),
            at_curves=mesh.at_curves,
        )

    @cached_property
    def face_of(self) -> np.ndarray:
        """(F',) int64: the face of before that each fine face is a part of."""
        return np.repeat(np.arange(len(self.offsets) - 1), np.diff(self.offsets))

    @cached_property
    def nearest(self) -> np.ndarray:
        """(V',) int64: of each fine point, one of the points of before that are nearest to it."""
        count = self.fine.point_count - len(self.ends) - (len(self.offsets) - 1)
        firsts = self.corners[np.minimum(self.offsets[:-1], max(len(self.corners) - 1, 0))]
        return np.concatenate([np.arange(count), self.ends[:, 0], firsts])

    def refined(self, values, weights, rounding) -> np.ndarray:
        """Return (V, K) values of the fine points; see kernels.geometry.refine."""
        return refined(
            values, weights, rounding, self.offsets, self.corners, self.uses, self.ends, self.sides, self.edges_at
        )

    def refined_places(self, uvs) -> np.ndarray:
        """Return (C, 2) places in a picture of the fine corners."""
        return refined_places(uvs, self.offsets)


def subdivision_of(topology: Topology) -> Subdivision:
    """Return the subdivision of a topology, which is made once and kept by it."""
    kept = topology.derived
    if "subdivision" not in kept:
        kept["subdivision"] = Subdivision.of(topology)
    return kept["subdivision"]


def _sides(edge_of_corner, face_of_corner, count):
    """The two faces at each edge, or -1 twice where there are not two."""
    sides = np.full((count, 2), -1)
    order = np.argsort(edge_of_corner, kind="stable")
    counts = np.bincount(edge_of_corner, minlength=count)
    first = np.cumsum(counts) - counts
    whole = counts == 2
    sides[whole, 0] = face_of_corner[order[first[whole]]]
    sides[whole, 1] = face_of_corner[order[first[whole] + 1]]
    return sides
