"""Changing copies by amounts that differ per copy; shared by the modulators."""

from dataclasses import dataclass

import numpy as np

from ..data.copies import Copies
from ..kernels.geometry.place import turned, turned_alike
from ..kernels.rows import added_rows, moved_rows, scaled_rows

ONES = np.ones(3, np.float32)
CHANNELS = ("place", "turn", "size", "colour", "opacity", "time")


@dataclass(frozen=True, eq=False)
class Change:
    """What is done to copies; what is None stays untouched.

    place    (N, 3) added to the positions, or (3,) of which each copy gets the share that is its weight
    turn     (N, 3) degrees about x, y, z, in each copy's own axes, or (3,) likewise
    weights  (N,) for a place or turn (3,)
    size     (N, 1) or (N, 3) factors, 1 keeps the size
    colour   (3,) or (N, 3) linear light towards which colours go, and
    towards  (N,) how far, 0..1
    opacity  (N,) factors
    time     (N,) frames added to the scene's time: below 0 a copy is behind
    """

    place: np.ndarray | None = None
    turn: np.ndarray | None = None
    weights: np.ndarray | None = None
    size: np.ndarray | None = None
    colour: np.ndarray | None = None
    towards: np.ndarray | None = None
    opacity: np.ndarray | None = None
    time: np.ndarray | None = None


def needs_several(shape, settings, links) -> str:
    """The advice of what can do nothing with one copy alone."""
    lone = not isinstance(shape, Copies) or shape.count < 2
    return "there is only one copy, and it needs several; add a repeat before it" if lone else ""


def numbers_per_copy(amount, weights) -> np.ndarray:
    """Return (N, 1) float32: an amount () or (N,) times (N,) weights."""
    return (np.asarray(amount, np.float32) * np.asarray(weights, np.float32))[:, None]


def changed(copies: Copies, change: Change) -> Copies:
    """Return copies with a change made to them."""
    changes = {}
    place, turn, weights = change.place, change.turn, change.weights
    if place is not None:
        moved = (
            added_rows(copies.position, place) if np.ndim(place) > 1 else moved_rows(copies.position, place, weights)
        )
        changes["position"] = moved
    if turn is not None:
        moved = turned(copies.rotation, turn) if np.ndim(turn) > 1 else turned_alike(copies.rotation, turn, weights)
        changes["rotation"] = moved
    if change.size is not None:
        even = change.size.shape[1] == 1
        changes["scale"] = scaled_rows(ONES, change.size[:, 0], copies.scale) if even else copies.scale * change.size
    if change.towards is not None and np.any(change.towards):
        share = np.clip(change.towards, 0, 1)[:, None]
        changes["colours"] = copies.colours + (np.asarray(change.colour, np.float32) - copies.colours) * share
    if change.opacity is not None:
        changes["opacity"] = np.clip(copies.opacity * change.opacity, 0, 1)
    if change.time is not None and np.any(change.time):
        changes["delay"] = copies.delay - change.time
    return copies.moved(**changes) if changes else copies


def progress(copies: Copies, order: str) -> np.ndarray:
    """Return (N,) float32 from 0 for the first to 1 for the last copy of an order named in ORDERS."""
    if order in ("index", "backwards"):
        share = np.arange(copies.count, dtype=np.float32) / max(copies.count - 1, 1)
        return share if order == "index" else 1 - share
    if order in ("left to right", "bottom to top", "back to front"):
        return _spread(copies.position[:, ("left to right", "bottom to top", "back to front").index(order)])
    away = _spread(np.linalg.norm(copies.position - copies.position.mean(axis=0), axis=1)) if copies.count else NOTHING
    return away if order == "middle outwards" else 1 - away


NOTHING = np.zeros(0, np.float32)


def _spread(along):
    if not len(along):
        return along
    low, high = along.min(), along.max()
    return (along - low) / (high - low) if high > low else np.zeros_like(along)


def gradient_colours(stops, at) -> np.ndarray:
    """Return (N, 3) linear light of a resolved gradient (S, 4) at places (N,) in 0..1."""
    return np.stack([np.interp(at, stops[:, 0], stops[:, channel]) for channel in (1, 2, 3)], axis=1)


ORDERS = ("index", "backwards", "left to right", "bottom to top", "back to front", "middle outwards", "outside inwards")
