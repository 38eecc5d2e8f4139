"""Solids for exact geometry, and meshes again of what was made of them, with all that their points carried.

The exact work is manifold3d's. Each triangle of a result knows the one that it is a part of, so that normals, colours,
places in pictures and attributes are taken from there, and edges that were sharp or smooth are so still.
"""

from dataclasses import dataclass, replace
from threading import Lock

import manifold3d
import numpy as np
from cachetools import LRUCache, cached

from ..data.attribute import ATTRIBUTES, NEAREST, NONE, Attributes
from ..data.mesh import Later, Mesh, Topology
from ..data.problem import Problem, ProblemError
from ..kernels.geometry.place import unit_rows
from ..kernels.geometry.resolved import points_of, seams_of, twins_of
from ..kernels.geometry.within import clothe, corners_mixed, gather, shares_at
from ..kernels.threads import begun
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
    # Where everything comes from is asked in the interpreter, the edges are found beside it.
    owned = begun(lambda: found.owned(sources))
    twins = None if only_front else twins_of(found.triangles)
    found = owned()
    # What has no source, which is the last one here, shows where it was cut.
    inner = np.array([*(solid in cut_by for solid in sources), True])[found.owners]
    if only_front:
        kept = ~inner & (found.known >= 0)
        found, inner = found.picked(kept), inner[kept]
        twins = twins_of(found.triangles)
    first = sources[0].mesh
    is_own = found.owners == 0
    # What has no triangle of its own is the back of a shell: it carries what the first one does.
    found.known[is_own & (found.known < 0)] = 0
    normals, origins = np.empty((3 * len(found.triangles), 3)), np.full(3 * len(found.triangles), -1, np.int32)
    # What is of none of them has flat normals.
    for number, mesh in enumerate([*(solid.mesh for solid in sources), Mesh.empty()]):
        clothe(
            found.points, found.triangles, found.owners, number, found.known, mesh.points, mesh.topology.triangles,
            _smooth_normals(mesh), number < len(sources) and sources[number] in cut_by,
            normals, origins[:0] if number else origins,
        )  # fmt: skip
    faces = np.where(is_own, first.topology.triangle_faces.take(found.known, mode="clip"), np.int32(-1))
    numbers, firsts, smooth, begins = points_of(
        found.triangles, twins, normals, origins, _smooth_normals(first), inner, faces, ALIKE_COSINE
    )
    edges, seam_corners, seam_sizes = seams_of(found.triangles, twins, smooth, numbers, begins)
    at, normals = gather(found.points, found.triangles, normals, origins, _smooth_normals(first), firsts)
    carried = _Carried(first, found, faces, firsts)
    seam_body = found.bodies[firsts[seam_corners[np.cumsum(seam_sizes) - seam_sizes]] // 3]
    ends = np.searchsorted(found.bodies, np.arange(len(bodies) + 1))
    point_ends, edge_ends = np.searchsorted(firsts, 3 * ends), np.searchsorted(begins, 3 * ends)
    made = []
    for body in range(len(bodies)):
        rows = slice(ends[body], ends[body + 1])
        corners = slice(3 * ends[body], 3 * ends[body + 1])
        points = slice(point_ends[body], point_ends[body + 1])
        mine = seam_body == body
        offsets = np.arange(0, 3 * (rows.stop - rows.start) + 1, 3, dtype=np.int32)
        every = np.concatenate([numbers[corners], seam_corners[np.repeat(mine, seam_sizes)]])
        every -= points.start
        topology = Topology(
            np.concatenate([offsets, offsets[-1] + np.cumsum(seam_sizes[mine])]), every, points.stop - points.start,
            outline=edges[edge_ends[body] : edge_ends[body + 1]] - points.start,
        )  # fmt: skip
        made.append(carried.mesh(at[points], topology, normals[points], points, rows, inner, mine.sum()))
    return made


def _smooth_normals(mesh):
    """The normals of a mesh's points, none where its faces are flat."""
    return np.zeros((0, 3), np.float32) if mesh.is_flat else mesh.normals


@dataclass(frozen=True, eq=False)
class _Result:
    """Triangles of several bodies, one body's after the other's.

    points     (V, 3) float32
    triangles  (T, 3) int32 points
    bodies     (T,) which body they belong to
    made       the library's meshes of the bodies
    owners     (T,) int32 which of the sources they come from; one more than the last one if it is none of them
    known      (T,) int32 which triangle of its mesh's each is a part of, or -1
    """

    points: np.ndarray
    triangles: np.ndarray
    bodies: np.ndarray
    made: list
    owners: np.ndarray | None = None
    known: np.ndarray | None = None

    @classmethod
    def of(cls, bodies) -> "_Result":
        made = [body.to_mesh() for body in bodies]
        begins = np.cumsum([0, *(len(one.vert_properties) for one in made)]).astype(np.int32)
        return cls(
            np.concatenate([one.vert_properties[:, :3] for one in made]),
            np.concatenate([one.tri_verts + begin for one, begin in zip(made, begins, strict=False)]),
            np.repeat(np.arange(len(bodies)), [len(one.tri_verts) for one in made]),
            made,
        )

    def owned(self, sources) -> "_Result":
        """Return the same with what it comes from."""
        index = {solid.number: number for number, solid in enumerate(sources)}
        # All triangles that the sources have, in a row; the one beyond them is none.
        table = np.concatenate([*(solid.triangles for solid in sources), [-1]]).astype(np.int32)
        begins = np.cumsum([0, *(len(solid.triangles) for solid in sources)])
        owners, rows = [], []
        for one in self.made:
            sizes = np.diff(one.run_index) // 3
            of_run = np.array([index.get(number, len(sources)) for number in one.run_original_id], np.int32)
            owners.append(np.repeat(of_run, sizes))
            faces = np.fromiter(one.face_id, np.int32, len(one.tri_verts))
            rows.append(np.where(owners[-1] < len(sources), faces + np.repeat(begins[of_run], sizes), len(table) - 1))
        return replace(self, owners=np.concatenate(owners), known=table[np.concatenate(rows)])

    def picked(self, kept) -> "_Result":
        names = "triangles", "bodies", "owners", "known"
        return replace(self, **{name: getattr(self, name)[kept] for name in names})


class _Carried:
    """What points, corners and faces carry of the first source; what comes from elsewhere has none of it."""

    def __init__(self, source, found, faces, firsts):
        """faces (T,) of which of its own each triangle is, or -1; firsts (P,) the corners that points are made of."""
        self.source, self.found = source, found
        self.point_is_own = faces[firsts // 3] >= 0
        if source.colours is not None or source.opacity is not None or source.at_points:
            corners = firsts[self.point_is_own]
            self.within = source.topology.triangles[found.known[corners // 3]]
            self.shares = shares_at(found.points, found.triangles, corners, self.within, source.points)
        self.colours, self.opacity = self._blended(source.colours), self._blended(source.opacity)
        self.at_points = {
            name: self._rows(self._nearest(values) if ATTRIBUTES[name].mixes == NEAREST else self._mixed(values), 0.0)
            for name, values in source.at_points.items()
        }
        self.at_faces = {}
        for name, values in source.at_faces.items():
            if name != "inner":
                self.at_faces[name] = np.zeros((len(faces), *values.shape[1:]), np.float32)
                self.at_faces[name][faces >= 0] = values[faces[faces >= 0]]

    def _mixed(self, values):
        return np.einsum("ns,ns...->n...", self.shares, values[self.within])

    def _nearest(self, values):
        return values[self.within[np.arange(len(self.within)), self.shares.argmax(axis=1)]]

    def _rows(self, values, other):
        rows = np.full((len(self.point_is_own), *values.shape[1:]), other, np.float32)
        rows[self.point_is_own] = values
        return rows

    def _blended(self, values):
        return None if values is None else self._rows(self._mixed(values), 1.0)

    def mesh(self, at, topology, normals, points, rows, inner, seam_count) -> Mesh:
        """The mesh of one body: its points and triangles are slices of all, its last faces are seams."""
        own_faces = {name: values[rows] for name, values in self.at_faces.items()}
        at_faces = Attributes(inner=inner[rows].astype(np.float32), **own_faces)
        if seam_count:
            at_faces = Attributes.joined([(at_faces, rows.stop - rows.start), (NONE, seam_count)])
        return Mesh(
            at,
            topology,
            colours=None if self.colours is None else self.colours[points],
            opacity=None if self.opacity is None else self.opacity[points],
            known_uvs=None if self.source.known_uvs is None else self._places(rows, len(topology.corners)),
            known_normals=normals,
            at_points=Attributes({name: values[points] for name, values in self.at_points.items()}),
            at_faces=at_faces,
        )

    def _places(self, rows, count) -> Later:
        """Where in a picture the corners of some triangles lie, and after them those of seams."""
        source, owners = self.source, self.found.owners[rows]
        arrays = self.found.points, self.found.triangles[rows], np.where(owners == 0, self.found.known[rows], -1)

        def make():
            within = source.topology.triangles, source.topology.triangle_corners
            return corners_mixed(*arrays, source.points, *within, source.uvs, count)

        return Later(count, make, (source, *arrays))
