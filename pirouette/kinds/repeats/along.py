"""Copies along a curve."""

import numpy as np

from ...craft import RepeatSettings, at_places
from ...data import Copies, Mesh
from ...geometry.curve import curves_of, frames_along, sampled, square_frames
from ...kernels.geometry.place import matrices_to_quaternions
from ...schema import Kind, choice, integer, number, reference, switch

STRAIGHT = Mesh.curves(np.array([[-150, 0, 0], [150, 0, 0]]), [2], False)
AXES = {"+x": 0, "+y": 1, "+z": 2}


class AlongSettings(RepeatSettings):
    curve: str = reference("figures", headline=True, none="a straight line")
    """The figure whose curves the copies stand on; a straight line if none."""
    count: int = integer(20, soft=(1, 200), hard=(1, 1_000_000), headline=True)
    """Copies on each curve."""
    start: float = number(0, soft=(0, 1))
    """Where along the curve the first copy stands; 1 is its end."""
    end: float = number(1, soft=(0, 1))
    """Where along the curve the last copy stands."""
    slide: float = number(0, soft=(0, 1), headline=True)
    """How far all copies have travelled along the curve; whole numbers are whole rounds of a closed curve."""
    aligned: bool = switch(True)
    """Turn each copy with the curve."""
    forward: str = choice("+x", tuple(AXES))
    """Which axis of the copies points along the curve."""
    roll: float = number(0, soft=(-720, 720), unit="deg", winds=True)
    """Turn about the curve from its start to its end."""


def along(shape, settings, links) -> Copies:
    """Repeat a shape along the curves of another figure.

    Returns Copies evenly by arc length, curve by curve; on open curves those beyond an end stand at it
    Source  W. Wang et al., "Computation of rotation minimizing frames", ACM Transactions on Graphics 27 (2008)
    """
    mesh = links["curve"].mesh if "curve" in links else STRAIGHT
    count = settings.count
    positions, turns, cells = [], [], []
    for points, is_closed in curves_of(mesh):
        whole = is_closed and abs(settings.end - settings.start) >= 1 - 1e-9
        steps = np.arange(count) / (count if whole else max(count - 1, 1))
        place = settings.start + (settings.end - settings.start) * steps + settings.slide
        place = place - np.floor(place) if is_closed else np.clip(place, 0, 1)
        line, frames = frames_along(points, is_closed)
        positions.append(sampled(line, place))
        if settings.aligned:
            turns.append(_turned(sampled(frames.reshape(len(frames), 9), place, like=line), settings, steps))
        cells.append(np.stack([steps] * 3, axis=1))
    if not positions:
        return Copies.at(shape, np.zeros((0, 3), np.float32))
    rotation = np.concatenate(turns) if turns else None
    return at_places(shape, settings, links, np.concatenate(positions), rotation, np.concatenate(cells))


def _turned(frames, settings, steps):
    """Quaternions of mixed frames (N, 9), rolled about the curve."""
    angle = np.radians(settings.roll * steps)
    return matrices_to_quaternions(square_frames(frames, angle, AXES[settings.forward]))


def advice(shape, settings, links) -> str:
    if "curve" not in links:
        return "no curve is chosen, so the copies stand on a straight line; choose a figure with a curve"
    if not curves_of(links["curve"].mesh):
        return "the chosen figure has no curves; begin it with a line, circle or path"
    return ""


KIND = Kind(
    "along",
    "repeat",
    AlongSettings,
    along,
    "Repeat **{count}** times **along** **{curve}**, slid by **{slide}**",
    estimate=lambda settings: settings.count,
    advice=advice,
    icon="along",
    words="repeat copies clone path curve spline spread duplicate",
)
