"""Closed forms and sheets broken into pieces, each the part nearer to one of some points than to all others."""

import manifold3d
import numpy as np

# scipy loads its parts when they are first used.
import scipy

from ..data.mesh import Mesh
from ..data.problem import ProblemError
from .boolean import Solid, mesh_of, meshes_of

# From so many cells, and triangles, on a body is halved before it is cut by each.
FEW_CELLS = 25
FEW_TRIANGLES = 600


def shattered(mesh: Mesh, seeds, gap: float, thickness: float, check_wanted=lambda: None) -> list[Mesh]:
    """Return the pieces of a mesh's faces, one for each seed that has a part of it, in their order.

    seeds      (N, 3) points, no two in one place
    gap        how far pieces are cut back from each other
    thickness  of what is not closed: its pieces are solid if it is above 0
    Source     the pieces are cells of a Voronoi diagram; see F. Aurenhammer, "Voronoi diagrams", ACM Computing
               Surveys 23 (1991)
    """
    seeds = np.asarray(seeds, np.float64)
    is_shell = False
    try:
        solid = Solid.of(mesh)
    except ProblemError:
        low, high = mesh.bounds
        is_shell = thickness <= 0
        solid = Solid.shell_of(mesh, thickness if thickness > 0 else 1e-3 * float(np.linalg.norm(high - low)))
    if len(seeds) < 2:
        return [mesh_of(solid.body, [solid], only_front=is_shell)]
    box = np.array(solid.body.bounding_box()).reshape(2, 3)
    least = 1e-9 * max(solid.body.volume(), 1e-9)
    cells = [_cell(planes, seed) for seed, planes in zip(seeds, planes_of(seeds, box, gap / 2), strict=True)]
    bodies = []
    for made in _parts(solid.body, [cell for cell in cells if cell is not None], check_wanted):
        if not made.is_empty() and made.volume() >= least:
            bodies.append(made)
    pieces = meshes_of(bodies, [solid], only_front=is_shell) if bodies else []
    return [piece for piece in pieces if piece.topology.face_count]


def _parts(body, cells, check_wanted) -> list[manifold3d.Manifold]:
    """What of a body lies in each cell. Cells that lie together are cut from a part of it, which is quicker to cut."""
    check_wanted()
    if len(cells) <= FEW_CELLS or body.num_tri() <= FEW_TRIANGLES:
        return [body ^ cell for cell in cells]
    boxes = np.array([cell.bounding_box() for cell in cells]).reshape(-1, 2, 3)
    middles = boxes.mean(axis=1)
    axis = int(np.ptp(middles, axis=0).argmax())
    order = np.argsort(middles[:, axis], kind="stable")
    made = [None] * len(cells)
    for half in np.array_split(order, 2):
        low, high = boxes[half, 0, axis].min(), boxes[half, 1, axis].max()
        margin = 1e-3 * (high - low)
        way = np.eye(3)[axis]
        part = body.trim_by_plane(tuple(way), float(low - margin)).trim_by_plane(tuple(-way), float(-high - margin))
        for number, piece in zip(half, _parts(part, [cells[k] for k in half], check_wanted), strict=True):
            made[number] = piece
    return made


def planes_of(seeds, box, inset) -> list[np.ndarray]:
    """For each seed the half spaces (P, 4) of its cell: normals and offsets, below 0 inside; all end at the box."""
    middle, extent = box.mean(axis=0), float(np.linalg.norm(box[1] - box[0]))
    # Far points around everything: every seed has neighbours on all sides, even those of a flat sheet.
    corners = np.array([[x, y, z] for x in (-1, 1) for y in (-1, 1) for z in (-1, 1)], np.float64)
    everything = np.concatenate([seeds, middle + corners * 20 * extent])
    pairs = scipy.spatial.Voronoi(everything).ridge_points
    pairs = np.concatenate([pairs, pairs[:, ::-1]])
    pairs = pairs[pairs[:, 0] < len(seeds)]
    pairs = pairs[np.lexsort((pairs[:, 1], pairs[:, 0]))]
    way = everything[pairs[:, 1]] - everything[pairs[:, 0]]
    length = np.linalg.norm(way, axis=1, keepdims=True)
    normals = way / length
    halfway = (everything[pairs[:, 0]] + everything[pairs[:, 1]]) / 2
    # Against the far points nothing is cut back.
    back = np.where(pairs[:, 1] < len(seeds), inset, 0)
    planes = np.column_stack([normals, back - (normals * halfway).sum(axis=1)])
    margin = 0.01 * extent + 1e-6
    sides = np.concatenate([np.column_stack([np.eye(3), -(box[1] + margin)]),
                            np.column_stack([-np.eye(3), box[0] - margin])])  # fmt: skip
    ends = np.searchsorted(pairs[:, 0], np.arange(len(seeds) + 1))
    return [np.concatenate([planes[a:b], sides]) for a, b in zip(ends, ends[1:], strict=False)]


def _cell(planes, seed) -> manifold3d.Manifold | None:
    """The convex body within half spaces, or None if it has no room around its seed."""
    if (planes[:, :3] @ seed + planes[:, 3] > -1e-9).any():
        return None
    corners = scipy.spatial.HalfspaceIntersection(planes, seed).intersections
    body = manifold3d.Manifold.hull_points(np.ascontiguousarray(corners[np.isfinite(corners).all(axis=1)], np.float32))
    # Its surfaces are known by a number of their own in what is made with it.
    return None if body.is_empty() else body.as_original()
