"""Which edges of faces a step is about: all, those where a surface ends or is sharp, or where an attribute changes."""

import numpy as np

from ..data import Mesh, sources_of
from ..data.attribute import ATTRIBUTES
from ..geometry.edges import WHICH, edges_where, edges_where_unlike
from ..schema.setting import choice, number, only_if
from ..schema.settings import Settings

UNLIKE = "where an attribute changes"


class EdgeChoiceSettings(Settings):
    which: str = choice("all", (*WHICH, UNLIKE), headline=True)
    """All edges, those at which a surface ends or its faces meet at an angle, or those at which faces carry unlike
    values, as at the rim of a cut."""
    angle: float = number(30, soft=(1, 120), hard=(0, 180), unit="deg", headline=True)
    """From which angle between two faces on an edge is sharp."""
    attribute: str = only_if(choice("inner", tuple(ATTRIBUTES)), which=(UNLIKE,))
    """What the faces on both sides carry: the `inner` of a cut, the `piece` of shards, or another."""
    change: float = only_if(number(0.5, soft=(0.01, 2), hard=(0, None)), which=(UNLIKE,))
    """From which difference between two faces on an edge is taken; that of velocities is the length between them."""


def chosen_edges(mesh: Mesh, settings) -> np.ndarray:
    """Return (E, 2) the edges of a mesh's faces that are meant, lower point first."""
    if settings.which == UNLIKE:
        return edges_where_unlike(mesh, settings.attribute, settings.change)
    return edges_where(mesh, settings.which, np.radians(settings.angle))


def no_such_edges(shape, settings, links) -> str:
    """The advice of what takes edges: whether there is anything to tell them by."""
    if settings.which == UNLIKE and not any(settings.attribute in mesh.attributes() for mesh in sources_of(shape)):
        return f"nothing here carries {settings.attribute}, so it changes nowhere; Cut gives `inner`, Shards `piece`"
    return ""
