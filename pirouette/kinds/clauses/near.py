"""Nearness to a guide, a curve or a figure."""

import numpy as np

from ...kernels.geometry.place import unit_rows
from ...kernels.geometry.weigh import between_weights, distances_to
from ...schema import Kind, Settings, curve, number, reference

STRAIGHT = [[0, 1], [1, 0]]


class NearSettings(Settings):
    to: str = reference("guides", "figures", headline=True)
    """The guide or figure; nearness to a figure counts from its surface or its curves."""
    within: float = number(20, soft=(0, 200), hard=(0, None), headline=True)
    """Up to this distance the weight is 1."""
    fade: float = number(120, soft=(0, 400), hard=(0, None), headline=True)
    """From there it falls to 0 over this distance."""
    fall: list = curve(STRAIGHT)
    """How it falls."""


def near(points, settings, links) -> np.ndarray:
    """Weigh points by their distance to a guide, curve or figure.

    points   (N, 3) float32, in the clause's space
    Returns  (N,) float32 in 0..1; 0 everywhere if there is nothing to be near to
    """
    away = _distance(points, links.get("to"))
    if away is None:
        return np.zeros(len(points), np.float32)
    if np.array_equal(settings.fall, STRAIGHT):
        return between_weights(away, -1, settings.within, settings.fade)
    share = (away - settings.within) / max(settings.fade, 1e-9)
    return np.interp(share, settings.fall[:, 0], settings.fall[:, 1]).astype(np.float32)


def _distance(points, link):
    if link is None:
        return None
    if link.shape is None:
        return distances_to(points, link.place)
    if not len(link.tree.items):
        if not len(link.mesh.points):
            return None
        return np.linalg.norm(points[:, None] - link.mesh.points[None, :1], axis=2)[:, 0]
    return link.tree.closest(points)[2]


def ways(points, links):
    """Away from the nearest place, and along the curve there (or up, where it is no curve)."""
    link = links.get("to")
    along = np.zeros_like(points)
    along[:, 1] = 1
    if link is None:
        return np.zeros_like(points), along
    if link.shape is None or not len(link.tree.items):
        away = points - link.place.astype(np.float32)
    else:
        found, barys, _ = link.tree.closest(points)
        away = points - link.tree.places(found, barys)
        if link.tree.items.shape[1] == 2:
            ends = link.mesh.points[link.tree.items[found]]
            along = ends[:, 1] - ends[:, 0]
    return unit_rows(away), unit_rows(along)


KIND = Kind(
    "near",
    "clause",
    NearSettings,
    near,
    "near **{to}**, within **{within}**, fading over **{fade}**",
    ways=lambda points, settings, moment, links: ways(points, links),
    icon="near",
    words="distance proximity falloff closeness",
)
