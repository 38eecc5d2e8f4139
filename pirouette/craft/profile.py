"""How thick what is swept along curves is: a width, per point if a formula asks for it, and a profile along it."""

import numpy as np

from ..data import Mesh, sources_of
from ..data.mesh import shares_along
from ..schema.setting import choice, curve, number, only_if
from ..schema.settings import Settings

THICK = ("all along", "in the middle", "at the start", "at the end", "as drawn")


class ProfileSettings(Settings):
    width: float = number(8, soft=(0.5, 60), hard=(0, None), headline=True, per_copy=True)
    """How wide it is, in scene units; formulas may use `along` and whatever else points carry."""
    thick: str = choice("all along", THICK, headline=True)
    """Where along each curve it has its whole width; it runs out thin elsewhere."""
    profile: list = only_if(curve([[0, 0.1], [0.35, 1], [1, 0.2]]), thick=("as drawn",))
    """Share of the width from the start of each curve, on the left, to its end."""


def widths(mesh: Mesh, weights, settings) -> np.ndarray:
    """Return (V,) float64 widths at the points of curves; a field's weights (V,) make them less."""
    width = np.broadcast_to(np.asarray(settings.width, np.float64), len(mesh.points)) * weights
    lines = mesh.topology.lines
    if settings.thick == "all along" or lines is None:
        return width
    along = shares_along(mesh.points, lines).astype(np.float64)
    if settings.thick == "as drawn":
        share = np.interp(along, settings.profile[:, 0], settings.profile[:, 1])
    elif settings.thick == "in the middle":
        share = np.sin(np.pi * along)
    else:
        share = np.sqrt(np.clip(1 - along if settings.thick == "at the start" else along, 0, 1))
    return width * share


def no_curves(shape, settings, links) -> str:
    """The advice of what needs curves."""
    if not any(mesh.topology.curve_count for mesh in sources_of(shape)):
        return "there are no curves; begin with one, or add Edges before it"
    return ""


def curve_points(shape) -> tuple[int, int]:
    """Return how many points the curves of a shape's sources have, and how many curves there are."""
    meshes = [mesh for mesh in sources_of(shape) if mesh.topology.lines is not None]
    return sum(len(mesh.topology.lines.corners) for mesh in meshes), sum(mesh.topology.curve_count for mesh in meshes)
