"""A stretch of each curve, so that curves grow and vanish."""

import numpy as np

from ...data import Copies, Mesh, sources_of
from ...geometry.trim import trimmed
from ...schema import Kind, Settings, choice, integer, number, only_if
from ...values.functions import chances

AMONG = ("each copy's own", "all copies'")
LATE = ("all together", "in order", "by length", "by chance")


class TrimSettings(Settings):
    start: float = number(0, soft=(0, 1), headline=True)
    """Where the stretch begins, as a share of each curve's length."""
    end: float = number(0.6, soft=(0, 1), headline=True)
    """Where it ends."""
    late: str = choice("all together", LATE, headline=True)
    """Which curves are later than others: none, those further on in the order, the longer ones, or some by chance."""
    spread: float = number(0.5, soft=(0, 1), hard=(0, 1))
    """How much of the whole way from 0 to 1 the last curve waits before it begins."""
    among: str = only_if(choice("each copy's own", AMONG), late=LATE[1:])
    """Whose order it is: that of each copy's own curves, or of all copies' together, which become one shape."""
    seed: int = integer(1, soft=(0, 100), hard=(0, 2**31 - 1))
    """Another seed is another chance."""


def trim(mesh, weights, settings) -> Mesh:
    """Keep a stretch of each curve by its length, so that curves grow and vanish; faces are left out.

    weights  (V,) 0..1 from the step's field; at its first point a curve asks how much of the cut it takes
    Returns  a Mesh of curves
    """
    lines = mesh.topology.lines
    if lines is None or not lines.count:
        return Mesh.empty()
    waits = _lateness(mesh, settings) * settings.spread
    goes = max(1 - (settings.spread if settings.late != "all together" else 0), 1e-6)
    begun = [np.clip((place - waits) / goes, 0, 1) for place in (settings.start, settings.end)]
    firsts = lines.corners[np.minimum(lines.offsets[:-1], len(lines.corners) - 1)]
    share = weights[firsts]
    return trimmed(mesh, begun[0] * share, 1 - (1 - begun[1]) * share)


def _lateness(mesh, settings) -> np.ndarray:
    """(L,) 0..1: how late each curve is, among all of its mesh."""
    lines = mesh.topology.lines
    count = lines.count
    if settings.late == "by chance":
        return chances(count, settings.seed)
    if settings.late == "in order":
        return np.arange(count) / max(count - 1, 1)
    if settings.late == "by length":
        segments = lines.segments
        steps = np.linalg.norm(mesh.points[segments[:, 1]] - mesh.points[segments[:, 0]], axis=1)
        curve = np.zeros(len(mesh.points), np.int64)
        curve[lines.corners] = np.repeat(np.arange(count), lines.sizes)
        length = np.bincount(curve[segments[:, 0]], steps, minlength=count)
        return np.argsort(np.argsort(length, kind="stable"), kind="stable") / max(count - 1, 1)
    return np.zeros(count)


def takes_copies_as_one(settings) -> bool:
    return settings.late != LATE[0] and settings.among == AMONG[1]


def estimate(settings, shape) -> int:
    if isinstance(shape, Copies) and takes_copies_as_one(settings):
        # No mesh has more curves than points.
        return 3 * shape.point_count
    return sum(len(mesh.points) + 2 * mesh.topology.curve_count for mesh in sources_of(shape))


def advice(shape, settings, links) -> str:
    """Say why there is nothing to trim, or nothing."""
    if not any(mesh.topology.curve_count for mesh in sources_of(shape)):
        return "there are no curves to trim; begin with one, or add Edges before it"
    is_alone = isinstance(shape, Copies) and all(mesh.topology.curve_count < 2 for mesh in sources_of(shape))
    if settings.late in LATE[1:3] and is_alone and not takes_copies_as_one(settings):
        return f"each copy has one curve, so none is later than another; choose the order among {AMONG[1]}"
    return ""


KIND = Kind(
    "trim",
    "build",
    TrimSettings,
    trim,
    "Trim curves from **{start}** to **{end}**, **{late}**",
    estimate=estimate,
    advice=advice,
    takes_copies_as_one=takes_copies_as_one,
    icon="trim",
    words="grow draw on reveal write cut length",
)
