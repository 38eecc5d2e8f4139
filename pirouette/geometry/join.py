"""Putting meshes together: many into one, one many times over."""

from dataclasses import replace

import numpy as np

from ..data.attribute import Attributes
from ..data.copies import Copies, Placed, outer_and_inner
from ..data.mesh import Lines, Mesh, Topology
from ..kernels.geometry.place import carried, unit_rows


def joined(meshes) -> Mesh:
    """Return one mesh that holds all points, faces and curves of the given ones, in their order."""
    meshes = [mesh for mesh in meshes if len(mesh.points)]
    if not meshes:
        return Mesh.empty()
    if len(meshes) == 1:
        return meshes[0]
    if len({mesh.is_flat for mesh in meshes if mesh.topology.face_count}) > 1:
        meshes = [_unwelded(mesh) if mesh.is_flat else mesh for mesh in meshes]
    shifts = np.cumsum([0, *(len(mesh.points) for mesh in meshes)])
    return Mesh(
        np.concatenate([mesh.points for mesh in meshes]),
        _joined_topology([mesh.topology for mesh in meshes], shifts),
        colours=_joined(meshes, "colours", (3,)),
        known_uvs=_joined_uvs(meshes),
        opacity=_joined(meshes, "opacity", ()),
        is_flat=all(mesh.is_flat for mesh in meshes if mesh.topology.face_count),
        known_normals=np.concatenate([mesh.normals for mesh in meshes])
        if any(mesh.known_normals is not None for mesh in meshes)
        else None,
        at_points=Attributes.joined((mesh.at_points, len(mesh.points)) for mesh in meshes),
        at_corners=Attributes.joined((mesh.at_corners, len(mesh.topology.corners)) for mesh in meshes),
        at_faces=Attributes.joined((mesh.at_faces, mesh.topology.face_count) for mesh in meshes),
        at_curves=Attributes.joined((mesh.at_curves, mesh.topology.curve_count) for mesh in meshes),
    )


def _unwelded(mesh: Mesh) -> Mesh:
    """Give each face points of its own, so that it looks flat beside smooth faces."""
    old = mesh.topology
    count = len(old.corners)
    topology = Topology(old.offsets, np.arange(count), count, outline=None if old.outline is None else np.zeros((0, 2)))
    unwelded = mesh.gathered(old.corners, topology, corners=np.arange(count), faces=np.arange(old.face_count))
    return replace(unwelded, known_normals=None, is_flat=False)


def _joined(meshes, name, shape):
    """One attribute of all meshes' points; those without it count as white and whole."""
    if all(getattr(mesh, name) is None for mesh in meshes):
        return None
    return np.concatenate(
        [
            np.ones((len(mesh.points), *shape), np.float32) if getattr(mesh, name) is None else getattr(mesh, name)
            for mesh in meshes
        ]
    )


def _joined_uvs(meshes):
    """Faces of meshes that say nothing of pictures lie at the corner of one."""
    if all(mesh.uvs is None for mesh in meshes):
        return None
    rows = [mesh.uvs for mesh in meshes]
    return np.concatenate(
        [
            np.zeros((len(mesh.topology.corners), 2), np.float32) if uvs is None else uvs
            for mesh, uvs in zip(meshes, rows, strict=True)
        ]
    )


def _chained(lists):
    """Offsets of all lists, one after the other."""
    starts = np.cumsum([0, *(offsets[-1] for offsets in lists)])
    return np.concatenate([[0], *(offsets[1:] + start for offsets, start in zip(lists, starts, strict=False))])


def _joined_topology(topologies, shifts):
    lines = None
    if any(topology.lines is not None for topology in topologies):
        with_lines = [
            (topology.lines, shift)
            for topology, shift in zip(topologies, shifts, strict=False)
            if topology.lines is not None
        ]
        lines = Lines(
            _chained([lines_of_mesh.offsets for lines_of_mesh, _ in with_lines]),
            np.concatenate([lines_of_mesh.corners + shift for lines_of_mesh, shift in with_lines]),
            np.concatenate([lines_of_mesh.closed for lines_of_mesh, _ in with_lines]),
        )
    outline = None
    if any(topology.outline is not None for topology in topologies):
        shown = [topology.face_edges if topology.outline is None else topology.outline for topology in topologies]
        outline = np.concatenate([edges + shift for edges, shift in zip(shown, shifts, strict=False)])
    return Topology(
        _chained([topology.offsets for topology in topologies]),
        np.concatenate([topology.corners + shift for topology, shift in zip(topologies, shifts, strict=False)]),
        int(shifts[-1]),
        lines=lines,
        outline=outline,
    )


def expanded(copies: Copies) -> Mesh:
    """Return one mesh that holds the points of every copy that is seen, which carry what their copies carry too."""
    return joined([_expanded(placed) for placed in copies.flattened()])


def _expanded(placed: Placed) -> Mesh:
    mesh, matrices = placed.mesh, placed.matrices
    count, size, topology = len(matrices), len(mesh.points), mesh.topology
    points = np.einsum("kij,vj->kvi", matrices[:, :, :3], mesh.points) + matrices[:, None, :, 3]
    colours = opacity = None
    if mesh.colours is not None or (placed.colours != 1).any():
        own = np.ones((size, 3), np.float32) if mesh.colours is None else mesh.colours
        colours = (placed.colours[:, None] * own[None]).reshape(-1, 3)
    if mesh.opacity is not None or (placed.opacity != 1).any():
        own = np.ones(size, np.float32) if mesh.opacity is None else mesh.opacity
        opacity = (placed.opacity[:, None] * own[None]).ravel()
    return Mesh(
        points.reshape(-1, 3),
        repeated(topology, count),
        colours=colours,
        opacity=opacity,
        known_uvs=None if mesh.uvs is None else np.tile(mesh.uvs, (count, 1)),
        is_flat=mesh.is_flat,
        at_points=outer_and_inner(placed.at_copies, mesh.at_points, count, size),
        at_corners=mesh.at_corners.tiled(count),
        at_faces=mesh.at_faces.tiled(count),
        at_curves=mesh.at_curves.tiled(count),
    )


def repeated(topology: Topology, count: int) -> Topology:
    """Return the topology of `count` copies of a mesh, their points one copy after the other."""
    size = topology.point_count
    shifts = np.arange(count, dtype=np.int64)[:, None]

    def offsets(old, corner_count):
        return np.append((old[:-1] + shifts * corner_count).ravel(), count * corner_count)

    lines, outline = topology.lines, topology.outline
    return Topology(
        offsets(topology.offsets, len(topology.corners)),
        (topology.corners + shifts * size).ravel(),
        count * size,
        lines=None
        if lines is None
        else Lines(
            offsets(lines.offsets, len(lines.corners)),
            (lines.corners + shifts * size).ravel(),
            np.tile(lines.closed, count),
        ),
        outline=None if outline is None else (outline[None] + shifts[:, :, None] * size).reshape(-1, 2),
    )


def placed(mesh: Mesh, matrix) -> Mesh:
    """Return a mesh carried along by a (3, 4) or (4, 4) matrix, with its normals."""
    matrix = np.asarray(matrix, np.float64)
    if np.array_equal(matrix[:3], np.eye(4)[:3]):
        return mesh
    linear = matrix[:3, :3]
    normals = None
    if mesh.known_normals is not None:
        # Cofactors instead of an inverse: they exist for flattening matrices too.
        cofactors = np.stack([np.cross(linear[(k + 1) % 3], linear[(k + 2) % 3]) for k in range(3)])
        turned = mesh.known_normals @ cofactors.T.astype(np.float32)
        normals = unit_rows(turned)
    return replace(mesh, points=carried(mesh.points, matrix), known_normals=normals, key="")
