"""Pieces that fly outward."""

import numpy as np

from ...craft.vary import Change, changed
from ...data import Copies
from ...geometry.pieces import means, pieces_of
from ...kernels.geometry.place import compose, matrices_to_quaternions, unit_rows
from ...schema import WHOLE, Kind, Settings, choice, integer, number, reference
from ...values.functions import chances

WAYS = ("from the middle", "from a place", "along their normals")


class BurstSettings(Settings):
    moves: str = choice(WHOLE, (WHOLE, "each piece"))
    """Whether copies fly as a whole, or each part of them that hangs together; one shape is always taken by parts."""
    distance: float = number(120, soft=(0, 500), headline=True, per_copy=True)
    """How far pieces fly where the step's field is full."""
    spin: float = number(140, soft=(0, 720), hard=(0, None), unit="deg", headline=True, winds=True)
    """How far each turns on its way, about an axis of its own."""
    ways: str = choice("from the middle", WAYS, headline=True)
    """Away from the middle of the whole shape, away from a place, or the way each piece faces; copies face along z."""
    place: str = reference("guides", "figures")
    """The place that pieces fly away from, where they do so."""
    spread: float = number(20, soft=(0, 90), hard=(0, 180), unit="deg")
    """How far the ways of pieces stray by chance."""
    chance: float = number(0.4, soft=(0, 1), hard=(0, 1), headline=True)
    """How much distances and turns differ from piece to piece; at 1 some stay."""
    seed: int = integer(1, soft=(0, 100), hard=(0, 2**31 - 1))
    """Another seed is another burst."""


def burst(mesh, weights, settings, links) -> np.ndarray:
    """Let the pieces of a shape fly outward and spin.

    weights  (V,) 0..1 from the step's field; a piece takes the mean of its points'
    Returns  (V, 3) float32; each piece keeps its form
    """
    part = pieces_of(mesh)
    count = int(part.max(initial=-1)) + 1
    points = mesh.points.astype(np.float64)
    middles = means(points, part, count)
    share = means(weights[:, None], part, count)[:, 0]
    distance = np.broadcast_to(np.asarray(settings.distance, np.float64), len(points))
    facing = means(mesh.normals, part, count)
    shift, axis, angle = _flights(middles, facing, means(distance[:, None], part, count)[:, 0], share, settings, links)
    moved = points + shift[part]
    if settings.spin:
        off = points - middles[part]
        moved += _turned(off, axis[part], angle[part]) - off
    return np.where((share > 0)[part][:, None], moved, points).astype(np.float32)


def burst_copies(copies, weights, settings, links) -> Copies:
    """Let copies fly outward and spin, each as a whole.

    weights  (N,) 0..1 from the step's field
    """
    matrices = compose(copies.position, copies.rotation, np.ones((copies.count, 3), np.float32)).astype(np.float64)
    distance = np.broadcast_to(np.asarray(settings.distance, np.float64), copies.count)
    shift, axis, angle = _flights(
        copies.position.astype(np.float64),
        matrices[:, :, 2],
        distance,
        np.asarray(weights, np.float64),
        settings,
        links,
    )
    made = changed(copies, Change(place=shift.astype(np.float32)))
    if not settings.spin:
        return made
    turned = np.stack([_turned(matrices[:, :, k], axis, angle) for k in range(3)], axis=2)
    rotation = np.where((angle != 0)[:, None], matrices_to_quaternions(turned), copies.rotation)
    return made.moved(rotation=rotation)


def _flights(middles, facing, distance, share, settings, links):
    """For each piece its way, about which axis it turns, and by how many radians."""
    count = len(middles)
    start = middles.mean(axis=0) if count else np.zeros(3)
    if settings.ways == "from a place" and "place" in links:
        start = links["place"].place
    ways = unit_rows(middles - start)
    if settings.ways == "along their normals":
        known = np.linalg.norm(facing, axis=1, keepdims=True) > 1e-3
        ways = np.where(known, unit_rows(facing), ways)
    luck = [chances(count, settings.seed, channel) for channel in range(6)]
    # What stands in the middle itself has to go somewhere.
    ways = np.where(np.linalg.norm(ways, axis=1, keepdims=True) > 0, ways, _on_ball(luck[0], luck[1]))
    ways = _turned(ways, unit_rows(np.cross(ways, _on_ball(luck[1], luck[2]))), np.radians(settings.spread) * luck[3])
    far = distance * share * (1 - settings.chance * luck[4])
    angle = np.radians(settings.spin) * share * (1 - settings.chance * 2 * np.abs(luck[5] - 0.5))
    return ways * far[:, None], _on_ball(luck[2], luck[0]), angle


def _on_ball(one, two):
    """Unit vectors (N, 3), even over a ball for even numbers in 0..1."""
    height = 2 * one - 1
    radius, angle = np.sqrt(np.maximum(1 - height * height, 0)), 2 * np.pi * two
    return np.stack([radius * np.cos(angle), height, radius * np.sin(angle)], axis=1)


def _turned(vectors, axes, angles):
    """Vectors turned about unit axes by radians, by Rodrigues' formula."""
    cos, sin = np.cos(angles)[:, None], np.sin(angles)[:, None]
    along = (axes * vectors).sum(axis=1, keepdims=True)
    return vectors * cos + np.cross(axes, vectors) * sin + axes * along * (1 - cos)


KIND = Kind(
    "burst",
    "deform",
    BurstSettings,
    burst,
    "Burst **{ways}** by **{distance}**, spinning **{spin}**, by chance **{chance}**",
    moves_copies=burst_copies,
    icon="burst",
    words="explode explosion shatter fly break",
)
