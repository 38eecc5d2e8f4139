"""Shapes on their way to the shape of another figure."""

import numpy as np

from ...data import Copies, Mesh, Problem, ProblemError
from ...geometry.join import expanded
from ...kernels.geometry.nearest import Tree
from ...kernels.geometry.place import unit_rows
from ...schema import MOVES, WHOLE, Kind, Settings, choice, number, reference

BY = ("as fits", "number", "nearest place", "place in the picture")


class MorphSettings(Settings):
    into: str = reference("figures", headline=True)
    """The figure whose shape it becomes."""
    amount: float = number(0.5, soft=(0, 1), headline=True, per_copy=True)
    """How far it has gone: 0 is this shape, 1 the other one."""
    by: str = choice("as fits", BY, headline=True)
    """Which place each point goes to: that of the point with its number, the nearest, or the one at the same place in
    the pictures that lie on both; as fits takes the numbers if there are equally many, else the nearest place."""
    moves: str = choice(WHOLE, MOVES)
    """Copies go to the places of the other figure's copies as they are, or all their points go."""


def morph(mesh, weights, settings, links) -> np.ndarray:
    """Move points towards the shape of another figure.

    weights  (V,) 0..1 from the step's field, times the amount
    Returns  (V, 3) float32; exactly this shape at 0, exactly the places of the other one at 1
    Raises   ProblemError if points are wanted by number and there are not as many, or no pictures lie on both
    """
    if "into" not in links or not len(links["into"].mesh.points):
        return mesh.points
    target = _targets(mesh, links["into"], settings.by)
    share = np.asarray(settings.amount * weights, np.float64)[:, None]
    return (mesh.points * (1 - share) + target * share).astype(np.float32)


def morph_copies(copies, weights, settings, links) -> Copies:
    """Move copies to the places of another figure's copies: those of their numbers, begun again if there are fewer."""
    if "into" not in links or not copies.count:
        return copies
    shape, matrix = links["into"].shape, links["into"].matrix
    if not isinstance(shape, Copies) or not shape.count or settings.by == "nearest place":
        tree = links["into"].tree
        if not len(tree.items):
            return copies
        place = tree.places(*tree.closest(copies.position)[:2])
        rotation, scale = copies.rotation, copies.scale
    else:
        number = np.arange(copies.count) % shape.count
        place = shape.position[number] @ matrix[:3, :3].T + matrix[:3, 3]
        rotation, scale = shape.rotation[number], shape.scale[number]
    share = np.asarray(settings.amount * weights, np.float64)[:, None]
    rotation = np.where((rotation * copies.rotation).sum(axis=1, keepdims=True) < 0, -rotation, rotation)
    return copies.moved(
        position=copies.position * (1 - share) + place * share,
        rotation=unit_rows(copies.rotation * (1 - share) + rotation * share),
        scale=copies.scale * (1 - share) + scale * share,
    )


def _targets(mesh, link, by) -> np.ndarray:
    """(V, 3) where each point goes in the end."""
    other = link.mesh
    counts = len(mesh.points), len(other.points)
    if by == "number" and counts[0] != counts[1]:
        raise ProblemError(
            Problem("by", f"there are {counts[0]:,} points here and {counts[1]:,} there; allowed equally many, or "
                          "another way to go", "morph.count")
        )  # fmt: skip
    if by == "number" or (by == "as fits" and counts[0] == counts[1]):
        return other.points
    if by == "place in the picture":
        return _by_picture(mesh, other)
    if not len(link.tree.items):
        return other.points[np.zeros(counts[0], int)]
    items, barys, _ = link.tree.closest(mesh.points)
    return link.tree.places(items, barys)


def _by_picture(mesh: Mesh, other: Mesh) -> np.ndarray:
    if mesh.uvs is None or other.uvs is None:
        raise ProblemError(Problem("by", "no picture can lie on both shapes; allowed another way to go", "morph.uvs"))
    at = np.zeros((len(mesh.points), 3), np.float32)
    # Where several corners meet in a point the first one counts.
    at[mesh.topology.corners[::-1], :2] = mesh.uvs[::-1]
    corners = other.topology.triangle_corners
    flat = np.zeros((len(other.uvs), 3), np.float32)
    flat[:, :2] = other.uvs
    items, barys, _ = Tree(flat, corners).closest(at)
    return np.einsum("qk,qkc->qc", barys, other.points[other.topology.triangles[items]].astype(np.float64))


def advice(shape, settings, links) -> str:
    if "into" not in links:
        return "no figure is chosen to become; choose one"
    if settings.by == "as fits" and settings.moves != WHOLE or isinstance(shape, Mesh):
        mesh = shape if isinstance(shape, Mesh) else expanded(shape)
        counts = len(mesh.points), len(links["into"].mesh.points)
        if settings.by == "as fits" and counts[0] != counts[1]:
            return (f"there are {counts[0]:,} points here and {counts[1]:,} there, so each goes to the nearest place; "
                    "choose another way if that looks wrong")  # fmt: skip
    return ""


KIND = Kind(
    "morph",
    "deform",
    MorphSettings,
    morph,
    "Morph into **{into}** by **{amount}**, by **{by}**",
    moves_copies=morph_copies,
    advice=advice,
    icon="morph",
    words="blend become change shape transform target",
)
