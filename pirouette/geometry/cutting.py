"""What of a shape lies inside or outside others: solids, surfaces, curves and points, all cut exactly at the skin."""

from dataclasses import replace

import numpy as np

from ..data.mesh import Mesh, Topology, shares_along
from ..data.problem import ProblemError
from .boolean import Solid, mesh_of
from .join import joined
from .trim import mixed, unrolled

# How thick a surface is taken to be while it is cut, as a share of its extent; its front alone is kept.
THIN = 1e-3


def cut_faces(mesh: Mesh, cutters: list[Solid], keeps_inside: bool, is_filled: bool) -> Mesh:
    """Return the part of a mesh's faces inside or outside all cutters taken together.

    is_filled  close solids where they are cut
    """
    if not mesh.topology.face_count:
        return Mesh.empty()
    try:
        solid, is_shell = Solid.of(mesh), False
    except ProblemError:
        low, high = mesh.bounds
        solid, is_shell = Solid.shell_of(mesh, THIN * float(np.linalg.norm(high - low))), True
    tool = cutters[0].body
    for cutter in cutters[1:]:
        tool = tool + cutter.body
    made = solid.body ^ tool if keeps_inside else solid.body - tool
    return mesh_of(made, [solid, *cutters], cutters, only_front=is_shell or not is_filled)


def cut_curves(mesh: Mesh, trees, keeps_inside: bool) -> Mesh:
    """Return the stretches of a mesh's curves inside or outside the closed meshes that trees were made over."""
    lines = mesh.topology.lines
    if lines is None or not lines.count:
        return Mesh.empty()
    offsets, corners, _ = unrolled(mesh.points, lines)
    has_next = np.ones(len(corners), bool)
    has_next[offsets[1:][np.diff(offsets) > 0] - 1] = False
    rows = np.flatnonzero(has_next)
    found = [tree.met(mesh.points[corners[rows]], mesh.points[corners[rows + 1]]) for tree in trees]
    numbers = np.concatenate([rows[segment] for segment, _ in found]).astype(np.int64)
    shares = np.concatenate([share for _, share in found])
    # All points of all curves and all places where skins are met, in their order.
    at_row = np.concatenate([np.arange(len(corners)), numbers])
    at_share = np.concatenate([np.zeros(len(corners)), shares])
    order = np.lexsort((at_share, at_row))
    at_row, at_share = at_row[order], at_share[order]
    after = np.minimum(at_row + 1, len(corners) - 1)
    points = mixed(mesh, corners[at_row], corners[after], at_share)
    curve = np.searchsorted(offsets, at_row, "right") - 1
    # Where a skin is met exactly at a point, both are one.
    apart = np.ones(len(at_row), bool)
    apart[1:] = (points.points[1:] != points.points[:-1]).any(axis=1) | (curve[1:] != curve[:-1])
    points = points.gathered(apart, Topology(np.zeros(1), np.zeros(0), int(apart.sum())))
    curve = curve[apart]
    middles = (points.points[1:] + points.points[:-1]) / 2
    is_inside = np.zeros(len(middles), bool)
    for tree in trees:
        is_inside |= tree.inside(middles)
    return _runs(mesh, points, (curve[1:] == curve[:-1]) & (is_inside == keeps_inside), curve)


def _runs(mesh, points, keep, curve) -> Mesh:
    """Curves of points (N,), joined where (N - 1,) keep says so; `curve` (N,) is the one that each was a part of."""
    joins = np.concatenate([[False], keep, [False]])
    begins, stops = np.flatnonzero(joins[1:] & ~joins[:-1]), np.flatnonzero(~joins[1:] & joins[:-1])
    if not len(begins):
        return Mesh.empty()
    sizes = stops - begins + 1
    lasts = np.cumsum(sizes) - 1
    index = np.arange(sizes.sum()) - np.repeat(lasts + 1 - sizes - begins, sizes)
    of = curve[begins]
    # A closed curve of which everything is left leads back to its first point, not to a copy of it.
    is_whole = mesh.topology.lines.closed[of] & (sizes == np.bincount(curve)[of])
    left = np.ones(len(index), bool)
    left[lasts[is_whole]] = False
    topology = Topology.of_lines(sizes - is_whole, is_whole)
    made = points.gathered(index[left], topology)
    along = shares_along(made.points, topology.lines)
    return replace(made, at_points=made.at_points.with_(along=along), at_curves=mesh.at_curves.gathered(of))


def cut_points(mesh: Mesh, trees, keeps_inside: bool) -> Mesh:
    """Return those points of a mesh that nothing joins which lie inside or outside closed meshes."""
    alone = mesh.topology.alone
    if not len(alone):
        return Mesh.empty()
    is_inside = np.zeros(len(alone), bool)
    for tree in trees:
        is_inside |= tree.inside(mesh.points[alone])
    kept = alone[is_inside == keeps_inside]
    return mesh.gathered(kept, Topology(np.zeros(1), np.zeros(0), len(kept)))


def cut(mesh: Mesh, cutters: list[Solid], trees, keeps_inside: bool, is_filled: bool) -> Mesh:
    """Return all of a mesh that lies inside or outside some solids; see the parts above."""
    return joined(
        [
            cut_faces(mesh, cutters, keeps_inside, is_filled),
            cut_curves(mesh, trees, keeps_inside),
            cut_points(mesh, trees, keeps_inside),
        ]
    )
