"""Forms, copies, points and curves as one smooth skin."""

from dataclasses import replace

import numpy as np

from ...data import Mesh
from ...data.attribute import NONE
from ...data.copies import Placed
from ...geometry.meld import boxes_at, bulge_of, melded, placed_in
from ...schema import Kind, Settings, integer, number, references


class MeldSettings(Settings):
    flow: float = number(20, soft=(0, 100), hard=(0, None), headline=True)
    """How near things have to be to each other to flow together; at 0 their skins only meet."""
    thickness: float = number(8, soft=(0.5, 60), hard=(1e-3, None), headline=True)
    """How thick points, curves and surfaces that are not closed are."""
    swell: float = number(0, soft=(-40, 40))
    """How far the skin stands off from what is within, times the step's field: below 0 the field takes away."""
    also: list = references("figures")
    """Other figures that flow in, as they stand."""
    cells: int = integer(64, soft=(16, 160), hard=(4, 256), headline=True)
    """How many cells there are along the longest side of all at the first frame; more of them are finer and slower."""


def meld(shape, rest, settings, links, weights_at, check_wanted) -> Mesh:
    """Make one smooth skin around forms, copies, curves and points, which flow into each other where they are near.

    rest     the shape at the first frame, by whose size that of the cells goes
    Returns  a closed Mesh, with its own normals; colours and opacities of what is within are mixed
    Raises   ProblemError if there would be too many cells, or too many pieces that are no copies
    """
    placed = _all(shape, links)
    here = _longest(placed, settings)
    if not here:
        return Mesh.empty()
    at_first = _longest(placed_in(rest) + [one for link in links.values() for one in placed_in(link.rest)], settings)
    # What has hardly begun at the first frame tells nothing about the size that it will have.
    cell = (at_first if at_first > here / 4 else here) / settings.cells
    return melded(
        placed, cell, settings.flow, settings.thickness, settings.swell,
        lambda places: weights_at(places, NONE), check_wanted,
    )  # fmt: skip


def _all(shape, links) -> list[Placed]:
    """What flows together, in the space of the step."""
    found = placed_in(shape)
    for link in links.values():
        for one in placed_in(link.shape):
            square = np.zeros((len(one.matrices), 4, 4))
            square[:, :3], square[:, 3, 3] = one.matrices, 1
            found.append(replace(one, matrices=(link.matrix @ square)[:, :3].astype(np.float32)))
    return found


def _longest(placed, settings) -> float:
    """The longest side of a skin around all of it, as far as is known beforehand; 0 of nothing."""
    sides = _sides(placed)
    return max(sides.max() + settings.thickness, 2 * _bulge(placed, settings)) if sides.max() else 0.0


def _bulge(placed, settings) -> float:
    count = sum(len(one.matrices) * len(one.mesh.points) for one in placed)
    return bulge_of(settings.flow, count) + max(settings.swell, 0)


def _sides(placed) -> np.ndarray:
    """(3,) the sides of the box around all of it; of one point 1, of nothing 0."""
    boxes = []
    for one in placed:
        low, high = (corner.astype(np.float64) for corner in one.mesh.bounds)
        boxes += list(boxes_at(one.matrices, np.stack([low, high])))
    if not boxes:
        return np.zeros(3)
    sides = np.max([box[1] for box in boxes], axis=0) - np.min([box[0] for box in boxes], axis=0)
    return sides if sides.max() else np.ones(3)


def estimate(settings, shape, links) -> int:
    """No skin has more points than its grid has cells."""
    placed = _all(shape, links)
    sides = _sides(placed)
    if not sides.max():
        return 0
    cell = _longest(placed, settings) / settings.cells
    reach = _bulge(placed, settings) + settings.thickness + 4 * cell
    return int(np.prod(np.ceil((sides + 2 * reach) / cell)))


KIND = Kind(
    "meld",
    "build",
    MeldSettings,
    meld,
    "Meld into one skin that flows within **{flow}**, lines **{thickness}** thick, **{cells}** cells",
    estimate=estimate,
    icon="meld",
    words="blob merge metaballs smooth join liquid union",
)
