"""Forms broken into pieces."""

import numpy as np

from ...data import Copies, Mesh, sources_of
from ...data.attribute import Attributes
from ...geometry.pieces import means
from ...geometry.shatter import shattered
from ...schema import Kind, Settings, choice, integer, number
from ...values.functions import chances

BY = ("scattered points", "a grid")
# So many places are tried for each piece; where the field is full all may become one.
TRIED = 6


class ShardsSettings(Settings):
    count: int = integer(24, soft=(2, 200), hard=(1, 2000), headline=True)
    """How many pieces are wanted; there are fewer where a piece would lie outside the form."""
    by: str = choice("scattered points", BY, headline=True)
    """Whether pieces lie around scattered points, more of them where the step's field is stronger, or in a grid."""
    chance: float = number(0.35, soft=(0, 1), hard=(0, 1))
    """How far the places of a grid stray from it."""
    gap: float = number(0, soft=(0, 10), hard=(0, None), headline=True)
    """How far pieces are cut back from each other."""
    thickness: float = number(4, soft=(0, 40), hard=(0, None))
    """How thick the pieces of a sheet become; at 0 they stay as thin as it is."""
    seed: int = integer(1, soft=(0, 100), hard=(0, 2**31 - 1))
    """Another seed is another break."""


def shards(mesh, settings, weights_at, check_wanted) -> Copies:
    """Break a closed form, a sheet or lettering into pieces, each a copy that later steps vary by itself.

    Returns  Copies, one source each about its own middle; they carry `piece`, and faces within the form `inner` as 1
    """
    if not mesh.topology.face_count:
        return Copies.at(Mesh.empty(), np.zeros((0, 3), np.float32))
    pieces = shattered(mesh, _seeds(mesh, settings, weights_at), settings.gap, settings.thickness, check_wanted)
    middles = [means(piece.points, np.zeros(len(piece.points), np.int64), 1)[0] for piece in pieces]
    moved = [piece.with_points(piece.points - middle.astype(np.float32), piece.normals)
             for piece, middle in zip(pieces, middles, strict=True)]  # fmt: skip
    made = Copies.at(moved, np.array(middles, np.float32).reshape(-1, 3), which=np.arange(len(pieces)))
    return made.moved(at_copies=Attributes(piece=np.arange(len(pieces), dtype=np.float32)))


def _seeds(mesh, settings, weights_at):
    """(N, 3) where pieces lie."""
    low, high = (corner.astype(np.float64) for corner in mesh.bounds)
    extent = np.maximum(high - low, 1e-6)
    if settings.by == "a grid":
        return _grid(low, extent, settings)
    tried = settings.count * TRIED
    places = low + extent * np.stack([chances(tried, settings.seed, channel) for channel in range(3)], axis=1)
    weights = weights_at(places.astype(np.float32), Attributes())
    # The first in line are those whose luck is least against their weight; all are equal without a field.
    luck = chances(tried, settings.seed, 3)
    order = np.argsort(-(np.log(np.maximum(luck, 1e-12)) / np.maximum(weights, 1e-3)), kind="stable")
    return places[np.sort(order[: settings.count])]


def _grid(low, extent, settings):
    """Places of a lattice of cells as nearly cubic as can be, each strayed by chance."""
    flat = extent < 1e-3 * extent.max()
    sized = np.where(flat, 1.0, extent)
    cell = (np.prod(sized[~flat]) / settings.count) ** (1 / max((~flat).sum(), 1))
    counts = np.where(flat, 1, np.maximum(np.round(sized / cell), 1)).astype(int)
    number = np.stack(np.meshgrid(*(np.arange(count) for count in counts), indexing="ij"), axis=-1).reshape(-1, 3)
    stray = np.stack([chances(len(number), settings.seed, channel) for channel in range(3)], axis=1) - 0.5
    return low + extent * (number + 0.5 + stray * settings.chance) / counts


def estimate(settings, shape) -> int:
    """How many points there will be at most, as a rule: those of all cut faces, and of the pieces' insides."""
    return sum(6 * len(mesh.topology.corners) for mesh in sources_of(shape)) + 200 * settings.count


def advice(shape, settings, links) -> str:
    if not any(mesh.topology.face_count for mesh in sources_of(shape)):
        return "there are no faces to break; begin with a form, a sheet or lettering"
    return ""


KIND = Kind(
    "shards",
    "build",
    ShardsSettings,
    shards,
    "Break into **{count}** shards by **{by}**, **{gap}** apart",
    estimate=estimate,
    advice=advice,
    icon="shards",
    words="break fracture shatter pieces crack voronoi",
)
