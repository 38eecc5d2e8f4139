"""Points drawn to a place, a curve or a surface, or driven from it."""

import numpy as np

from ...kernels.geometry.place import lengths, unit_rows
from ...schema import Kind, Settings, choice, number, reference
from ...schema.kind import PUSHES

FADES = ("with the distance", "at once", "not at all")


class PullSettings(Settings):
    strength: float = number(60, soft=(-300, 300), headline=True, per_copy=True)
    """How hard it pulls, in units per second, each second; below 0 it pushes away."""
    to: str = reference("guides", "figures", headline=True, none="its own middle")
    """The guide, or the figure to whose nearest place points are drawn; with none, the middle of their own figure."""
    reach: float = number(200, soft=(10, 800), hard=(1e-3, None), headline=True)
    """How far away it is felt, where it fades."""
    fades: str = choice("with the distance", FADES)
    """Whether it grows less up to its reach, stops there at once, or is felt everywhere alike."""
    calm: float = number(10, soft=(1, 60), hard=(1e-3, None))
    """So near to where it pulls it grows less again, so that points come to rest there instead of being flung about."""


def pull(places, weights, settings, links) -> np.ndarray:
    """Draw points to the nearest place of something, or drive them away from it.

    places   (N, 3) float32; weights (N,) from the force's field
    Returns  (N, 3) float32, by how much the speed changes each second
    """
    goal = np.zeros((1, 3), np.float32)
    if "to" in links:
        link = links["to"]
        goal = link.place.astype(np.float32)[None]
        if link.shape is not None and len(link.mesh.points):
            goal = nearest_places(link, places)
    way = goal - places
    distance = lengths(way)
    share = np.minimum(distance / np.float32(settings.calm), 1)
    if settings.fades == "with the distance":
        share = share * np.clip(1 - distance / np.float32(settings.reach), 0, 1)
    elif settings.fades == "at once":
        share = share * (distance <= settings.reach)
    return unit_rows(way) * (share * np.asarray(settings.strength * weights, np.float32))[:, None]


def nearest_places(link, places) -> np.ndarray:
    """Return the (N, 3) float32 places of a figure's faces, its curves, or else its points, nearest to others.

    Within a frame each point keeps to the face or edge that was nearest when the frame began.
    """
    if len(link.tree.items):
        return link.tree.places(*link.kept(places))
    away = ((places[:, None] - link.mesh.points[None]) ** 2).sum(axis=2)
    return link.mesh.points[away.argmin(axis=1)]


KIND = Kind(
    "pull",
    "force",
    PullSettings,
    pull,
    "Pulled to **{to}** by **{strength}**, felt **{reach}** away",
    acts=PUSHES,
    icon="pull",
    version=2,
    words="attract attractor magnet repel push gravity",
)
