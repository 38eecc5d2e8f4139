"""Points held to a surface."""

import numpy as np

from ...kernels.geometry.place import unit_rows
from ...schema import Kind, Settings, number, reference
from ...schema.kind import HOLDS


class StickSettings(Settings):
    to: str = reference("figures", headline=True)
    """The figure to whose faces, or curves, points are held."""
    grip: float = number(0, soft=(0, 1), hard=(0, 1), headline=True)
    """0 lets them slide along it freely, 1 holds them to their place on it."""
    off: float = number(0, soft=(-20, 40))
    """How far off the surface they are, along its normals."""
    within: float = number(0, soft=(0, 200), hard=(0, None))
    """Only what is so near is held; 0 holds all."""


def stick(places, velocity, weights, settings, links):
    """Hold points to the nearest place of a surface; they keep the part of their speed that runs along it.

    places, velocity  (N, 3) float32; weights (N,) from the force's field, how firmly each is held
    Returns           the same, changed
    """
    if "to" not in links or not len(links["to"].tree.items) or not len(places):
        return places, velocity
    tree = links["to"].tree
    item, barys, distance = links["to"].closest(places)
    normals = _normals(links["to"], item, barys)
    firm = weights * _near(distance, settings)
    goal = tree.places(item, barys) + normals * np.float32(settings.off)
    along = velocity - normals * (velocity * normals).sum(axis=1)[:, None]
    along = along * np.float32(1 - settings.grip)
    firm = firm[:, None].astype(np.float32)
    return places + (goal - places) * firm, velocity + (along - velocity) * firm


def carries(places, weights, settings, links, links_before):
    """Take points along with a surface that has moved since the frame before, as far as it grips them."""
    if settings.grip <= 0 or "to" not in links or not len(places):
        return places
    now, then = links["to"], links_before["to"]
    if now.key == then.key or not len(then.tree.items) or not np.array_equal(now.tree.items, then.tree.items):
        return places
    item, barys, distance = then.tree.closest(places)
    moved = now.tree.places(item, barys) - then.tree.places(item, barys)
    firm = weights * _near(distance, settings) * np.float32(settings.grip)
    return places + moved * firm[:, None].astype(np.float32)


def _near(distance, settings):
    return 1.0 if settings.within <= 0 else distance <= settings.within + abs(settings.off)


def _normals(link, item, barys):
    """(N, 3) float32 unit normals at places of a tree's items; none at curves."""
    items = link.tree.items[item]
    if items.shape[1] == 2:
        return np.zeros((len(items), 3), np.float32)
    mesh = link.mesh
    if mesh.is_flat:
        a, b, c = mesh.points[items].transpose(1, 0, 2)
        return unit_rows(np.cross(b - a, c - a)).astype(np.float32)
    return unit_rows(link.tree.mixed(mesh.normals, item, barys))


KIND = Kind(
    "stick",
    "force",
    StickSettings,
    stick,
    "Held to **{to}**, grip **{grip}**",
    acts=HOLDS,
    carries=carries,
    advice=lambda settings: "" if settings.to else "no figure is chosen to which points could be held",
    icon="stick",
    version=2,
    words="hold glue surface cling attach",
)
