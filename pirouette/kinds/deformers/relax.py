"""Shapes smoothed out."""

import numpy as np

from ...data import Mesh
from ...geometry.neighbours import neighbours, smoothed_creases
from ...kernels.geometry.relax import relaxed
from ...schema import Kind, Settings, choice, integer, number, switch

KEEPS = ("borders", "borders and pieces", "nothing")
# Passing waves longer than this many points around unchanged; see the source.
PASS = 0.1


class RelaxSettings(Settings):
    amount: float = number(0.6, soft=(0, 1), hard=(0, 1), headline=True, per_copy=True)
    """How much of the way to the middle of its neighbours each point goes, each time."""
    times: int = integer(12, soft=(1, 60), hard=(0, 400), headline=True)
    """How often; more smooths out larger bumps."""
    keeps: str = choice("borders", KEEPS, headline=True)
    """What stays in place: where surfaces and curves end, also where pieces meet, or nothing."""
    keeps_size: bool = switch(False)
    """Whether the shape is kept from shrinking while it grows smooth."""


def relax(mesh, weights, settings) -> Mesh:
    """Smooth a shape out: each point goes towards the middle of those that it is joined to.

    weights  (V,) float32 in 0..1, from the step's field
    Returns  the mesh; points that stood in one place stay together, and creases that are hardly any more look smooth
    Source   G. Taubin, "A signal processing approach to fair surface design", SIGGRAPH 1995
    """
    around = neighbours(mesh)
    shares = np.asarray(settings.amount * weights, np.float64)[around.first]
    if settings.keeps != "nothing":
        shares[around.is_rim] = 0
    pieces = mesh.attributes().get("piece") if settings.keeps == "borders and pieces" else None
    if pieces is not None:
        low, high = np.full((2, len(around.first)), np.inf)
        np.minimum.at(low, around.place, pieces)
        np.minimum.at(high, around.place, -pieces)
        ends = np.repeat(np.arange(len(around.first)), np.diff(around.offsets))
        own = pieces[around.first]
        differs = own[ends] != own[around.others]
        shares[ends[differs]] = shares[low != -high] = 0
    points = mesh.points[around.first].astype(np.float64)
    back = 1 / (1 - PASS * shares.max(initial=0)) if settings.keeps_size else 0.0
    moved = relaxed(points, around.offsets, around.others, shares, back, settings.times)
    made = mesh.with_points(moved[around.place].astype(np.float32))
    return made if mesh.is_flat or not mesh.topology.face_count else smoothed_creases(made, around)


KIND = Kind(
    "relax",
    "deform",
    RelaxSettings,
    relax,
    "Relax by **{amount}**, **{times}** times, keeping **{keeps}**",
    icon="relax",
    words="smooth soften blur average",
)
