"""Places strewn over a form, the same ones while it moves."""

import numpy as np

from ..data.mesh import Mesh
from ..kernels.geometry.box import box
from ..kernels.geometry.nearest import Tree
from ..kernels.geometry.place import unit_rows
from ..kernels.geometry.strew import keep_apart, mixed_rows, triangle_areas

# So many candidates are tried for each place that is wanted, where places have a least distance.
TRIES = 8
INSIDE_TRIES = 200
NOWHERE = np.zeros((0, 3), np.float32), np.zeros((0, 3), np.float32)


def places_on(mesh: Mesh, rest: Mesh, where: str, count: int, apart: float, seed: int):
    """Return (N, 3) places and (N, 3) unit normals there.

    mesh   the form as it is now
    rest   the form as it is at the first frame: if its faces are the same, places are chosen there
    where  "surface", "corners", "edges", "face centres" or "inside"
    count  how many are wanted; apart is their least distance, 0 for none
    """
    if rest.topology.point_count != mesh.topology.point_count or len(rest.topology.corners) != len(
        mesh.topology.corners
    ):
        rest = mesh
    if not len(mesh.points):
        return NOWHERE
    rng = np.random.default_rng(seed)
    if where == "inside":
        return _inside(mesh, rest, count, apart, rng)
    if where == "surface":
        return _on_surface(mesh, rest, count, apart, rng)
    chosen = _of_few(rest, where, count, apart, rng)
    points, normals = _few(mesh, where)
    return points[chosen], normals[chosen]


def _few(mesh, where):
    """The corners, or the middles of edges or faces, with their normals."""
    topology = mesh.topology
    if where == "corners":
        return mesh.points, mesh.normals
    if where == "edges":
        ends = topology.edges
        normals = mesh.normals[ends].sum(axis=1)
        return mesh.points[ends].mean(axis=1), unit_rows(normals).astype(np.float32)
    if not topology.face_count:
        return NOWHERE
    sums = np.add.reduceat(mesh.points[topology.corners].astype(np.float64), topology.offsets[:-1], axis=0)
    return (sums / topology.sizes[:, None]).astype(np.float32), unit_rows(mesh.face_vectors)


def _of_few(rest, where, count, apart, rng):
    points, _ = _few(rest, where)
    order = np.arange(len(points))
    if count < len(points) or apart > 0:
        order = rng.permutation(len(points))
    if apart > 0:
        order = order[keep_apart(points[order], apart, count)]
    return np.sort(order[:count])


def _on_surface(mesh, rest, count, apart, rng):
    triangles = rest.topology.triangles
    if not len(triangles):
        return NOWHERE
    total = np.cumsum(triangle_areas(rest.points, triangles))
    if total[-1] <= 0:
        return NOWHERE
    if apart <= 0:
        face, barys = _candidates(total, count, rng)
    else:
        # A few candidates are tried first: mostly they are enough.
        for tries in (2, TRIES):
            face, barys = _candidates(total, count * tries, rng)
            kept = keep_apart(mixed_rows(rest.points, triangles, face, barys), apart, count)
            if len(kept) == count:
                break
        face, barys = face[kept], barys[kept]
    triangles = mesh.topology.triangles
    if mesh.is_flat:
        normals = mesh.face_vectors[mesh.topology.triangle_faces[face]]
    else:
        normals = mixed_rows(mesh.normals, triangles, face, barys)
    return mixed_rows(mesh.points, triangles, face, barys), unit_rows(normals).astype(np.float32)


def _candidates(total, wanted, rng):
    """Faces and barycentrics spread over the area in equal parts, one in each, in an order by chance."""
    parts = (np.arange(wanted) + rng.random(wanted)) / wanted * total[-1]
    # Looked up in order, which stays in the cache, and mixed afterwards.
    face = np.minimum(np.searchsorted(total, parts, side="right"), len(total) - 1)
    face = face[rng.permutation(wanted)]
    root, v = np.sqrt(rng.random(wanted, np.float32)), rng.random(wanted, np.float32)
    return face, np.stack([1 - root, root * (1 - v), root * v], axis=1)


def _inside(mesh, rest, count, apart, rng):
    """Places by chance in the box around the form, those that lie inside; they are carried along with the box."""
    tree = Tree(rest.points, rest.topology.triangles)
    low, high = box(rest.points)
    found, tried = [], 0
    while sum(map(len, found)) < count * (TRIES if apart > 0 else 1) and tried < count * INSIDE_TRIES:
        batch = max(count, 1024)
        tried += batch
        candidates = (low + rng.random((batch, 3)) * (high - low)).astype(np.float32)
        found.append(candidates[tree.inside(candidates)])
    points = np.concatenate(found)
    points = points[keep_apart(points, apart, count)] if apart > 0 else points[:count]
    share = (points - low) / np.maximum(high - low, 1e-20)
    now_low, now_high = box(mesh.points)
    normals = np.zeros_like(points)
    normals[:, 2] = 1
    return (now_low + share * (now_high - now_low)).astype(np.float32), normals
