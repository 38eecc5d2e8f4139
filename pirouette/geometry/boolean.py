"""Solids for exact geometry, and meshes again of what was made of them, with all that their points carried.

The exact work is manifold3d's. Each triangle of a result knows the one that it is a part of, so that normals, colours,
places in pictures and attributes are taken from there, and edges that were sharp or smooth are so still.
"""

from dataclasses import dataclass

import manifold3d
import numpy as np

# scipy loads its parts when they are first used.
import scipy

from ..data.attribute import ATTRIBUTES, NEAREST, NONE, Attributes
from ..data.mesh import Mesh, Topology
from ..data.problem import Problem, ProblemError
from ..kernels.geometry.place import unit_rows
from .neighbours import neighbours
from .weld import welded

# Normals nearer than this are those of one smooth surface.
ALIKE_COSINE = 1 - 1e-4


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
    def of(cls, mesh: Mesh, name: str = "") -> "Solid":
        """Return a mesh's faces as a solid.

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
    """Return what was made of solids as a mesh.

    sources     the solids whose surfaces are in it
    cut_by      those of them whose surfaces show where it was cut: their faces' attribute `inner` is 1
    only_front  leave out what is no part of a mesh that a solid was made of: the backs and walls of shells
    """
    made = body.to_mesh()
    corners, points = made.tri_verts.astype(np.int64), made.vert_properties[:, :3].astype(np.float64)
    run = np.repeat(np.array(made.run_original_id, np.int64), np.diff(np.array(made.run_index, np.int64)) // 3)
    face = np.array(made.face_id, np.int64)
    parts = []
    for solid in sources:
        mine = np.flatnonzero(run == solid.number)
        triangle = solid.triangles[face[mine]]
        is_inner = solid in cut_by
        if only_front:
            mine, triangle = (mine[:0], triangle[:0]) if is_inner else (mine[triangle >= 0], triangle[triangle >= 0])
        if len(mine):
            parts.append(_Part(solid.mesh, mine, np.maximum(triangle, 0), is_inner, points[corners[mine]]))
    if not parts:
        return Mesh.empty()
    return _joined(parts, corners, sources[0].mesh)


class _Part:
    """The triangles of a result that come from one source."""

    def __init__(self, source, numbers, triangles, is_inner, at):
        self.source, self.numbers, self.triangles, self.is_inner, self.at = source, numbers, triangles, is_inner, at
        self.corners = source.topology.triangles[triangles]
        self.shares = _barycentrics(at, source.points[self.corners].astype(np.float64))

    def mixed(self, array):
        """(T, 3, K) values of points at the corners of the result's triangles."""
        return np.einsum("tcs,tsk->tck", self.shares, array[self.corners].reshape(*self.corners.shape, -1))

    def nearest(self, array):
        near = self.shares.argmax(axis=2)
        return array[np.take_along_axis(self.corners, near, axis=1)].reshape(*near.shape, -1)

    @property
    def faces(self):
        return self.source.topology.triangle_faces[self.triangles]

    def normals(self):
        flat = unit_rows(np.cross(self.at[:, 1] - self.at[:, 0], self.at[:, 2] - self.at[:, 0]))
        if self.source.is_flat:
            return np.repeat(flat[:, None], 3, axis=1)
        smooth = unit_rows(self.mixed(self.source.normals.astype(np.float64)).reshape(-1, 3)).reshape(-1, 3, 3)
        # What a solid lost lies inside the other one: it is seen from there.
        facing = (smooth * flat[:, None]).sum(axis=2, keepdims=True) < 0
        return np.where(facing, -smooth, smooth) if self.is_inner else smooth


def _barycentrics(at, corners):
    """(T, 3, 3): what share each source corner has in each corner of a triangle that lies within the source's."""
    u, v = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    uu, uv, vv = (u * u).sum(1), (u * v).sum(1), (v * v).sum(1)
    off = at - corners[:, None, 0]
    pu, pv = (off * u[:, None]).sum(2), (off * v[:, None]).sum(2)
    det = np.maximum(uu * vv - uv * uv, 1e-30)[:, None]
    b, c = (vv[:, None] * pu - uv[:, None] * pv) / det, (uu[:, None] * pv - uv[:, None] * pu) / det
    shares = np.clip(np.stack([1 - b - c, b, c], axis=2), 0, 1)
    return shares / np.maximum(shares.sum(axis=2, keepdims=True), 1e-12)


def _joined(parts, corners, first: Mesh) -> Mesh:
    """One mesh of all parts, whose points are one where the surface goes on smoothly."""
    numbers = np.concatenate([part.numbers for part in parts])
    triangles = corners[numbers]
    at = np.concatenate([part.at for part in parts]).reshape(-1, 3)
    normals = np.concatenate([part.normals() for part in parts]).reshape(-1, 3)
    inner = np.repeat(np.concatenate([np.full(len(part.numbers), part.is_inner) for part in parts]), 3)
    group, seams = _grouped(triangles, normals, inner)
    _, index = np.unique(group, return_index=True)

    def gathered(own, shape, other=1.0):
        """Rows at the new points of what sources carry; a cutter's faces have none of it."""
        rows = [
            np.full((3 * len(part.numbers), *shape), other, np.float32)
            if part.is_inner or own(part) is None
            else own(part).reshape(-1, *shape)
            for part in parts
        ]
        return np.concatenate(rows)[index]

    mine = [part for part in parts if not part.is_inner]
    carries = lambda name: any(getattr(part.source, name) is not None for part in mine)  # noqa: E731

    def blended(name):
        return lambda part: None if getattr(part.source, name) is None else part.mixed(getattr(part.source, name))

    attributes = {}
    for name, array in first.at_points.items():
        taken = _Part.nearest if ATTRIBUTES[name].mixes == NEAREST else _Part.mixed
        attributes[name] = gathered(
            lambda part, name=name, taken=taken: taken(part, part.source.at_points[name]),
            array.shape[1:],
            0.0,
        )
    faces = group.reshape(-1, 3)
    uvs = None
    if any(part.source.uvs is not None for part in mine):
        uvs = np.concatenate([_uvs(part) for part in parts])
    at_faces = Attributes(inner=inner[::3].astype(np.float32))
    for name, array in first.at_faces.items():
        if name != "inner":
            rows = [np.zeros((len(part.numbers), *array.shape[1:])) if part.is_inner else
                    part.source.at_faces[name][part.faces] for part in parts]  # fmt: skip
            at_faces = at_faces.with_(**{name: np.concatenate(rows)})
    sewn = [np.asarray(seam) for seam in seams]
    sizes = np.concatenate([np.full(len(faces), 3), [len(seam) for seam in sewn]]).astype(int)
    all_corners = np.concatenate([faces.reshape(-1), *sewn]).astype(np.int64)
    edges = _shown(parts, faces)
    if uvs is not None:
        uvs = np.concatenate([uvs, np.zeros((len(all_corners) - len(uvs), 2))])
    if sewn:
        at_faces = Attributes.joined([(at_faces, len(faces)), (NONE, len(sewn))])
    return Mesh(
        at[index],
        Topology(np.concatenate([[0], np.cumsum(sizes)]), all_corners, len(index), outline=edges),
        colours=gathered(blended("colours"), (3,)) if carries("colours") else None,
        opacity=gathered(blended("opacity"), ()) if carries("opacity") else None,
        uvs=uvs,
        known_normals=normals[index],
        at_points=Attributes(attributes),
        at_faces=at_faces,
    )


def _uvs(part):
    if part.is_inner or part.source.uvs is None:
        return np.zeros((3 * len(part.numbers), 2))
    at = part.source.uvs[part.source.topology.triangle_corners[part.triangles]]
    return np.einsum("tcs,tsk->tck", part.shares, at).reshape(-1, 2)


def _grouped(triangles, normals, inner):
    """For each corner of triangles the number of its new point, and the faces without area that sew these together.

    Two corners in one place are one point if their triangles share an edge over which normals go on smoothly.
    """
    count = int(triangles.max()) + 1
    c = np.arange(triangles.size)
    following = c - c % 3 + (c + 1) % 3
    flat = triangles.reshape(-1)
    there, back = flat * count + flat[following], flat[following] * count + flat
    order = np.argsort(there, kind="stable")
    at = np.clip(np.searchsorted(there[order], back), 0, len(order) - 1)
    twin = order[at]
    has_twin = there[twin] == back
    alike = lambda a, b: (normals[a] * normals[b]).sum(axis=1) > ALIKE_COSINE  # noqa: E731
    other = following[twin]
    smooth = has_twin & alike(c, other) & alike(following, twin) & (inner == inner[twin])
    rows = np.concatenate([c[smooth], following[smooth]])
    columns = np.concatenate([other[smooth], twin[smooth]])
    graph = scipy.sparse.coo_matrix((np.ones(len(rows), np.int8), (rows, columns)), (len(c), len(c)))
    group = scipy.sparse.csgraph.connected_components(graph, directed=False)[1]
    # Number them in the order of their first corners.
    _, first, group = np.unique(group, return_index=True, return_inverse=True)
    number = np.empty(len(first), np.int64)
    number[np.argsort(first, kind="stable")] = np.arange(len(first))
    group = number[group.reshape(-1)]
    sharp = np.flatnonzero(has_twin & ~smooth & (c < twin))
    return group, _sewn(flat, group, sharp, following, twin)


def _sewn(flat, group, sharp, following, twin):
    """Faces without area along sharp edges, and in the places where several of them meet."""
    seams, meets = [], {}
    for edge in sharp.tolist():
        a, b = group[edge], group[following[edge]]
        other_b, other_a = group[twin[edge]], group[following[twin[edge]]]
        seam = [b, a, other_a, other_b]
        if a == other_a and b == other_b:
            continue
        if a == other_a:
            seam = [b, a, other_b]
        elif b == other_b:
            seam = [b, a, other_a]
        seams.append(seam)
        for place, one, two in ((flat[edge], a, other_a), (flat[following[edge]], other_b, b)):
            if one != two:
                meets.setdefault(int(place), []).append((int(one), int(two)))
    for ways in meets.values():
        onwards = {}
        for one, two in ways:
            onwards.setdefault(one, []).append(two)
        while onwards:
            start = next(iter(onwards))
            ring = [start]
            while ring[-1] in onwards:
                following_ones = onwards[ring[-1]]
                step = following_ones.pop()
                if not following_ones:
                    del onwards[ring[-1]]
                if step == start:
                    break
                ring.append(step)
            if len(ring) > 2:
                seams.append(ring[::-1])
    return seams


def _shown(parts, faces):
    """The edges that wires show: those of the sources' faces, and where surfaces end or are sharp."""
    group = np.concatenate([part.faces + 10_000_000 * number for number, part in enumerate(parts)])
    c = np.arange(faces.size)
    flat, following = faces.reshape(-1), faces.reshape(-1)[c - c % 3 + (c + 1) % 3]
    count = int(flat.max()) + 1
    there, back = flat * count + following, following * count + flat
    order = np.argsort(there, kind="stable")
    at = np.clip(np.searchsorted(there[order], back), 0, len(order) - 1)
    twin = order[at]
    has_twin = there[twin] == back
    inner = np.concatenate([np.full(len(part.numbers), part.is_inner) for part in parts])
    # Triangles of one face have no edge between them to see, nor those of a smooth cut.
    seen = ~has_twin | ((group[c // 3] != group[twin // 3]) & (c < twin) & ~inner[c // 3])
    return np.stack([flat[seen], following[seen]], axis=1)
