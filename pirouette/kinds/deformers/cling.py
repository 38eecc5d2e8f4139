"""Shapes laid on the surface of another figure."""

import numpy as np

from ...data import Copies
from ...kernels.geometry.place import compose, matrices_to_quaternions, turn_between, unit_rows
from ...schema import EACH_POINT, MOVES, Kind, Settings, choice, number, reference, switch

WAYS = ("to the nearest place", "along x", "along y", "along z")


class ClingSettings(Settings):
    onto: str = reference("figures", headline=True)
    """The figure on whose surface it is laid; on its curves, if it has no faces."""
    way: str = choice("to the nearest place", WAYS, headline=True)
    """Where each point comes to lie: at the nearest place, or along an axis where the surface is met first."""
    off: float = number(1, soft=(-20, 40), headline=True, per_copy=True)
    """How far it stands off the surface."""
    keeps_thickness: bool = switch(False)
    """Whether what is thick stays so: points further along the axis (z, for the nearest place) stand further off."""
    moves: str = choice(EACH_POINT, MOVES)
    """Lays every point on the surface, or copies as they are."""
    aligned: bool = switch(True)
    """Turn copies that are laid as a whole so that their z axis stands on the surface."""


def cling(points, weights, settings, links) -> np.ndarray:
    """Lay points on the surface of another figure, standing off it; those that miss it stay where they are.

    points   (N, 3) float32, scene units; not changed
    weights  (N,) 0..1 from the step's field: how far each goes
    Returns  (N, 3) float32
    """
    place, normals, is_found = _laid(points, settings, links)
    if place is None:
        return points
    off = np.broadcast_to(np.asarray(settings.off, np.float64), len(points))
    if settings.keeps_thickness and len(points):
        column = points[:, _axis(settings)].astype(np.float64)
        off = off + column - column.min()
    laid = place + normals * off[:, None]
    share = (np.asarray(weights, np.float64) * is_found)[:, None]
    return (points * (1 - share) + laid * share).astype(np.float32)


def cling_copies(copies, weights, settings, links) -> Copies:
    """Lay copies on the surface of another figure, turned to stand on it.

    weights  (N,) 0..1 from the step's field
    """
    place, normals, is_found = _laid(copies.position, settings, links)
    if place is None:
        return copies
    laid = place + normals * np.broadcast_to(np.asarray(settings.off, np.float64), copies.count)[:, None]
    share = (np.asarray(weights, np.float64) * is_found)[:, None]
    moved = copies.moved(position=copies.position * (1 - share) + laid * share)
    if not settings.aligned:
        return moved
    own = compose(copies.position, copies.rotation, np.ones((copies.count, 3), np.float32))[:, :, :3]
    # The normal as each copy sees it, so that it turns by the smallest angle from how it stands.
    leaned = turn_between((0, 0, 1), np.einsum("nji,nj->ni", own, normals), False)
    lean = compose(np.zeros_like(copies.position), leaned, np.ones((copies.count, 3), np.float32))[:, :, :3]
    turned = matrices_to_quaternions(own @ lean)
    turned = np.where((turned * copies.rotation).sum(axis=1, keepdims=True) < 0, -turned, turned)
    return moved.moved(rotation=unit_rows(copies.rotation + (turned - copies.rotation) * share))


def _axis(settings) -> int:
    return 2 if settings.way == WAYS[0] else WAYS.index(settings.way) - 1


def _laid(points, settings, links):
    """(N, 3) places on the surface, unit normals there, and which points found one; None without a surface."""
    if "onto" not in links or not len(links["onto"].tree.items):
        return None, None, None
    link = links["onto"]
    mesh, tree = link.mesh, link.tree
    has_faces = len(mesh.topology.triangles) > 0
    if settings.way == WAYS[0]:
        items, barys, _ = tree.closest(points)
        is_found = np.ones(len(points), bool)
    elif not has_faces:
        return None, None, None
    else:
        way = np.zeros(3)
        way[_axis(settings)] = 1
        items, barys, distance = tree.struck(points, way)
        is_found = np.isfinite(distance)
    corners = tree.items[items]
    barys = barys[:, : corners.shape[1]]
    place = np.einsum("qk,qkc->qc", barys, mesh.points[corners].astype(np.float64))
    if not has_faces:
        # Curves have no outside: things stand off them towards where they came from.
        return place, unit_rows(points - place), is_found
    if mesh.is_flat:
        return place, unit_rows(mesh.face_vectors.astype(np.float64))[mesh.topology.triangle_faces[items]], is_found
    return place, unit_rows(np.einsum("qk,qkc->qc", barys, mesh.normals[corners].astype(np.float64))), is_found


def advice(shape, settings, links) -> str:
    if "onto" not in links:
        return "no figure is chosen to lie on; choose one"
    mesh = links["onto"].mesh
    if not len(links["onto"].tree.items):
        return "the chosen figure has no faces and no curves to lie on"
    if settings.way != WAYS[0] and not len(mesh.topology.triangles):
        return "the chosen figure has no faces to meet along an axis; lay it to the nearest place"
    return ""


KIND = Kind(
    "cling",
    "deform",
    ClingSettings,
    cling,
    "Cling **{way}** on **{onto}**, **{off}** off",
    moves_copies=cling_copies,
    advice=advice,
    icon="cling",
    words="wrap project shrink snap surface stick",
)
