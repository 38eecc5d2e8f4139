"""Changing copies by amounts that differ per copy; shared by the modulators."""

import numpy as np

from ..kernels.place import euler_to_quaternion, quaternion_product
from .copies import Copies


def vectors_per_copy(amount, weights) -> np.ndarray:
    """Return (N, 3) float32: an amount (3,) or (N, 3) times (N,) weights."""
    amount, weights = np.asarray(amount, np.float32), np.asarray(weights, np.float32)[:, None]
    # An outer product: numpy's own broadcasting of three numbers against many is ten times slower.
    return weights @ amount[None] if amount.ndim == 1 else amount * weights


def numbers_per_copy(amount, weights) -> np.ndarray:
    """Return (N, 1) float32: an amount () or (N,) times (N,) weights."""
    return (np.asarray(amount, np.float32) * np.asarray(weights, np.float32))[:, None]


def vary(copies: Copies, place=None, turn=None, size=None) -> Copies:
    """Move, turn (in their own axes) and resize copies; what is None stays untouched.

    place  (N, 3) added to the positions
    turn   (N, 3) degrees about x, y, z
    size   (N, 1) or (N, 3) factors, 1 keeps the size
    """
    changes = {}
    if place is not None and np.any(place):
        changes["position"] = copies.position + place
    if turn is not None and np.any(turn):
        changes["rotation"] = quaternion_product(copies.rotation, euler_to_quaternion(turn))
    if size is not None and np.any(size != 1):
        changes["scale"] = copies.scale * size
    return copies.moved(**changes) if changes else copies


def progress(copies: Copies, order: str) -> np.ndarray:
    """Return (N,) float32 from 0 for the first to 1 for the last copy of an order named in ORDERS."""
    if order in ("index", "backwards"):
        share = np.arange(copies.count, dtype=np.float32) / max(copies.count - 1, 1)
        return share if order == "index" else 1 - share
    if order in ("left to right", "bottom to top", "back to front"):
        return _spread(copies.position[:, ("left to right", "bottom to top", "back to front").index(order)])
    away = _spread(np.linalg.norm(copies.position - copies.position.mean(axis=0), axis=1))
    return away if order == "middle outwards" else 1 - away


def _spread(along):
    if not len(along):
        return along
    low, high = along.min(), along.max()
    return (along - low) / (high - low) if high > low else np.zeros_like(along)


ORDERS = ("index", "backwards", "left to right", "bottom to top", "back to front", "middle outwards", "outside inwards")
