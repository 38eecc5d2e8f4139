"""Solids for exact geometry, and meshes again of what was made of them, with all that their points carried.

The exact work is manifold3d's. Each triangle of a result knows the one that it is a part of, so that normals, colours,
places in pictures and attributes are taken from there, and edges that were sharp or smooth are so still.
"""

from dataclasses import dataclass
from threading import Lock

import manifold3d
import numpy as np
from cachetools import LRUCache, cached

from ..data.attribute import ATTRIBUTES, NEAREST, NONE, Attributes
from ..data.mesh import Mesh, Topology
from ..data.problem import Problem, ProblemError
from ..kernels.geometry.place import unit_rows
from ..kernels.geometry.resolved import blend, corners_mixed, face_normals, points_of, seams_of, seen_edges
from .neighbours import neighbours
from .weld import welded

# Normals nearer than this are those of one smooth surface.
ALIKE_COSINE = 1 - 1e-4
# Triangles of solids that are kept.
MOST_KNOWN = 200_000


@dataclass(frozen=True, eq=False)
class Solid:
    """A closed mesh as exact geometry.

    body       the manifold
    number     by which its triangles are known in results
    mesh       what it was made of
    triangles  (T,) for each triangle of the body which one of the mesh's it is; -1 for those of a shell's other side
    """

    body: manifold3d.Manifold
    number: int
    mesh: Mesh
    triangles: np.ndarray

    @classmethod
    @cached(LRUCache(MOST_KNOWN, lambda solid: len(solid.triangles)), lambda cls, mesh, name="": mesh, Lock())
    def of(cls, mesh: Mesh, name: str = "") -> "Solid":
        """Return a mesh's faces as a solid; of one that stands still it is made once.

        Raises  ProblemError if they enclose nothing
        """
        first, place = welded(mesh.points)
        corners, numbers = _without_seams(place[mesh.topology.triangles])
        return cls._made(mesh.points[first], corners, numbers, mesh, name)

    @classmethod
    def shell_of(cls, mesh: Mesh, thickness: float, name: str = "") -> "Solid":
        """Return an open surface as a solid behind it: the surface itself, its back, and walls at its rims."""
        around = neighbours(mesh)
        corners, numbers = _without_seams(around.place[mesh.topology.triangles])
        at = mesh.points[around.first].astype(np.float64)
        normals = np.zeros_like(at)
        ways = np.cross(at[corners[:, 1]] - at[corners[:, 0]], at[corners[:, 2]] - at[corners[:, 0]])
        for k in range(3):
            np.add.at(normals, corners[:, k], ways)
        back = at - unit_rows(normals) * thickness
        count = len(at)
        there = corners[:, [0, 1, 2]].reshape(-1) * count + corners[:, [1, 2, 0]].reshape(-1)
        reverse = corners[:, [1, 2, 0]].reshape(-1) * count + corners[:, [0, 1, 2]].reshape(-1)
        rim = there[~np.isin(there, reverse)]
        a, b = rim // count, rim % count
        walls = np.concatenate([np.stack([b, a, a + count], axis=1), np.stack([b, a + count, b + count], axis=1)])
        everything = np.concatenate([corners, corners[:, ::-1] + count, walls])
        known = np.concatenate([numbers, np.full(len(everything) - len(numbers), -1)])
        return cls._made(np.concatenate([at, back]), everything, known, mesh, name)

    @classmethod
    def _made(cls, points, corners, numbers, mesh, name):
        number = manifold3d.Manifold.reserve_ids(1)
        body = manifold3d.Manifold(
            manifold3d.Mesh(
                np.ascontiguousarray(points, np.float32),
                np.ascontiguousarray(corners, np.uint32),
                run_index=np.array([0, 3 * len(corners)], np.uint32),
                run_original_id=np.array([number], np.uint32),
                face_id=np.arange(len(corners), dtype=np.uint32),
            )
        )
        if body.status() != manifold3d.Error.NoError:
            raise ProblemError(Problem(name, "the shape is not closed, so it has no inside", "solid.open"))
        return cls(body, number, mesh, numbers)


def _without_seams(triangles):
    """Triangles whose corners are three places, and which ones they are."""
    a, b, c = triangles.T
    is_real = (a != b) & (b != c) & (c != a)
    return triangles[is_real].astype(np.int64), np.flatnonzero(is_real)


def mesh_of(body: manifold3d.Manifold, sources, cut_by=(), only_front=False) -> Mesh:
    """Return what was made of solids as a mesh, see `meshes_of`."""
    (made,) = meshes_of([body], sources, cut_by, only_front)
    return made


def meshes_of(bodies, sources, cut_by=(), only_front=False) -> list[Mesh]:
    """Return what was made of solids as meshes, one for each body.

    sources     the solids whose surfaces are in them; the first one's points carry what those of the meshes do
    cut_by      those of them whose surfaces show where it was cut: their faces' attribute `inner` is 1, and so is that
                of surfaces of solids that are not told of, which are flat
    only_front  leave out what is no part of a mesh that a solid was made of: the backs and walls of shells
    """
    found = _Result.of(bodies)
    inner = ~np.isin(found.runs, [solid.number for solid in sources if solid not in cut_by])
    triangle = np.full(len(found.runs), -1)
    for solid in sources:
        mine = found.runs == solid.number
        triangle[mine] = solid.triangles[found.faces[mine]]
    if only_front:
        kept = ~inner & (triangle >= 0)
        found, inner, triangle = found.picked(kept), inner[kept], triangle[kept]
    first = sources[0].mesh
    own = np.flatnonzero(found.runs == sources[0].number)
    # What has no triangle of its own is the back of a shell: it carries what the first one does.
    triangle[own] = np.maximum(triangle[own], 0)
    at = found.points[found.triangles.reshape(-1)]
    normals, shares = face_normals(found.points, found.triangles), np.zeros((len(at), 3))
    for solid in sources:
        mine = np.flatnonzero((found.runs == solid.number) & (triangle >= 0))
        if len(mine) and (solid is sources[0] or not solid.mesh.is_flat):
            smooth = np.zeros((0, 3)) if solid.mesh.is_flat else solid.mesh.normals
            within = solid.mesh.topology.triangles[triangle[mine]]
            blend(at, mine, within, solid.mesh.points, smooth, solid in cut_by, shares, normals)
    numbers, firsts, smooth, twins = points_of(found.triangles, normals, inner, ALIKE_COSINE)
    carried = _Carried(first, own, triangle, shares, firsts, len(found.runs))
    group = np.full(len(triangle), -1)
    group[own] = first.topology.triangle_faces[triangle[own]]
    begins, edges = seen_edges(numbers, twins, smooth, inner, group)
    seam_corners, seam_sizes = seams_of(found.triangles, twins, smooth, numbers)
    seam_body = found.bodies[firsts[seam_corners[np.cumsum(seam_sizes) - seam_sizes]] // 3]
    ends = np.searchsorted(found.bodies, np.arange(len(bodies) + 1))
    point_ends, edge_ends = np.searchsorted(firsts, 3 * ends), np.searchsorted(begins, 3 * ends)
    made = []
    for body in range(len(bodies)):
        rows = slice(ends[body], ends[body + 1])
        corners = slice(3 * ends[body], 3 * ends[body + 1])
        points = slice(point_ends[body], point_ends[body + 1])
        mine = seam_body == body
        sizes = np.concatenate([np.full(rows.stop - rows.start, 3), seam_sizes[mine]])
        every = np.concatenate([numbers[corners], seam_corners[np.repeat(mine, seam_sizes)]]) - points.start
        topology = Topology(
            np.concatenate([[0], np.cumsum(sizes)]), every, points.stop - points.start,
            outline=edges[edge_ends[body] : edge_ends[body + 1]] - points.start,
        )  # fmt: skip
        made.append(
            carried.mesh(at[firsts[points]], topology, normals[firsts[points]], points, rows, inner, mine.sum())
        )
    return made


@dataclass(frozen=True, eq=False)
class _Result:
    """Triangles of several bodies, one body's after the other's.

    points     (V, 3) float64
    triangles  (T, 3) points
    runs       (T,) numbers of the solids that they come from, and `faces` (T,) which triangles of these they are
    bodies     (T,) which body they belong to
    """

    points: np.ndarray
    triangles: np.ndarray
    runs: np.ndarray
    faces: np.ndarray
    bodies: np.ndarray

    @classmethod
    def of(cls, bodies) -> "_Result":
        points, triangles, runs, faces, counts, start = [], [], [], [], [], 0
        for body in bodies:
            made = body.to_mesh()
            points.append(made.vert_properties[:, :3])
            triangles.append(made.tri_verts.astype(np.int64) + start)
            start += len(points[-1])
            ends = np.array(made.run_index, np.int64)
            runs.append(np.repeat(np.array(made.run_original_id, np.int64), np.diff(ends) // 3))
            faces.append(np.array(made.face_id, np.int64))
            counts.append(len(triangles[-1]))
        return cls(
            np.concatenate(points).astype(np.float64), np.concatenate(triangles), np.concatenate(runs),
            np.concatenate(faces), np.repeat(np.arange(len(bodies)), counts),
        )  # fmt: skip

    def picked(self, kept) -> "_Result":
        return _Result(self.points, self.triangles[kept], self.runs[kept], self.faces[kept], self.bodies[kept])


class _Carried:
    """What points, corners and faces carry of the first source; what comes from elsewhere has none of it."""

    def __init__(self, source, own, triangle, shares, firsts, count):
        """own (N,) which triangles come from it, and triangle (T,) which of its own each is; firsts (P,) corners."""
        self.source = source
        within = source.topology.triangles
        self.is_own = np.zeros(count, bool)
        self.is_own[own] = True
        self.point_is_own = self.is_own[firsts // 3]
        corners = firsts[self.point_is_own]
        self.shares, self.within = shares[corners], within[triangle[corners // 3]]
        self.colours, self.opacity = self._blended(source.colours), self._blended(source.opacity)
        self.at_points = {
            name: self._rows(self._nearest(array) if ATTRIBUTES[name].mixes == NEAREST else self._mixed(array), 0.0)
            for name, array in source.at_points.items()
        }
        self.uvs = None
        if source.uvs is not None:
            self.uvs = corners_mixed(shares, own, source.topology.triangle_corners[triangle[own]], source.uvs)
        faces = source.topology.triangle_faces[triangle[own]]
        self.at_faces = {}
        for name, array in source.at_faces.items():
            if name != "inner":
                self.at_faces[name] = np.zeros((count, *array.shape[1:]), np.float32)
                self.at_faces[name][own] = array[faces]

    def _mixed(self, array):
        return np.einsum("ns,ns...->n...", self.shares, array[self.within])

    def _nearest(self, array):
        return array[self.within[np.arange(len(self.within)), self.shares.argmax(axis=1)]]

    def _rows(self, values, other):
        rows = np.full((len(self.point_is_own), *values.shape[1:]), other, np.float32)
        rows[self.point_is_own] = values
        return rows

    def _blended(self, array):
        return None if array is None else self._rows(self._mixed(array), 1.0)

    def mesh(self, at, topology, normals, points, rows, inner, seam_count) -> Mesh:
        """The mesh of one body: its points and triangles are slices of all, its last faces are seams."""
        uvs = None
        if self.uvs is not None:
            uvs = self.uvs[3 * rows.start : 3 * rows.stop]
            uvs = np.concatenate([uvs, np.zeros((len(topology.corners) - len(uvs), 2), np.float32)])
        at_faces = Attributes(inner=inner[rows].astype(np.float32), **{n: a[rows] for n, a in self.at_faces.items()})
        if seam_count:
            at_faces = Attributes.joined([(at_faces, rows.stop - rows.start), (NONE, seam_count)])
        return Mesh(
            at,
            topology,
            colours=None if self.colours is None else self.colours[points],
            opacity=None if self.opacity is None else self.opacity[points],
            known_uvs=uvs,
            known_normals=normals,
            at_points=Attributes({name: array[points] for name, array in self.at_points.items()}),
            at_faces=at_faces,
        )
