"""Copies that look at something."""

import numpy as np

from ...data import Copies
from ...kernels.geometry.place import turn_between, unit_rows
from ...schema import Kind, Settings, choice, number, reference, switch

AXES = {
    "+x": (1, 0, 0), "-x": (-1, 0, 0), "+y": (0, 1, 0), "-y": (0, -1, 0), "+z": (0, 0, 1), "-z": (0, 0, -1),
}  # fmt: skip


class AimSettings(Settings):
    at: str = reference("guides", "figures", headline=True, none="the middle")
    """What copies look at; with nothing chosen, the direction of the step's field, or else the middle."""
    with_axis: str = choice("+z", tuple(AXES), headline=True)
    """Which of its own axes each copy turns towards it."""
    strength: float = number(1, soft=(0, 1), hard=(0, 1), headline=True, per_copy=True)
    """How much of the turn is made."""
    upright: bool = switch(True)
    """Keep copies from rolling about the line of sight."""


def aim(copies, weights, settings, links, directions) -> Copies:
    """Turn copies so that one of their axes points at a guide or figure, along a field, or at the middle.

    weights  (N,) 0..1, how much of the turn each copy makes
    Returns  the copies, turned; one that stands where it should look keeps its turn
    """
    if "at" in links:
        ways = links["at"].place.astype(np.float32) - copies.position
    elif directions is not None and np.any(directions):
        ways = directions
    else:
        ways = -copies.position
    rotation = turn_between(AXES[settings.with_axis], ways, settings.upright)
    share = np.asarray(settings.strength * weights, np.float32)[:, None]
    known = np.linalg.norm(ways, axis=1, keepdims=True) > 1e-6
    # The shorter way round between two turns.
    rotation = np.where((rotation * copies.rotation).sum(axis=1, keepdims=True) < 0, -rotation, rotation)
    mixed = copies.rotation + (rotation - copies.rotation) * share * known
    return copies.moved(rotation=unit_rows(mixed))


KIND = Kind(
    "aim",
    "modulate",
    AimSettings,
    aim,
    "Aim **{with_axis}** at **{at}**, strength **{strength}**",
    icon="aim",
    words="look point target face turn towards",
)
