"""Edges as bars with joints: a solid wire."""

from dataclasses import replace

import numpy as np

from ...craft.edge_choice import EdgeChoiceSettings, chosen_edges, no_such_edges
from ...data import Mesh, sources_of
from ...data.mesh import Topology
from ...geometry.join import joined, repeated
from ...geometry.revolve import bow, revolve
from ...geometry.sweep import round_section, swept
from ...geometry.weld import welded
from ...schema import Kind, choice, integer, number

JOINTS = ("round", "none")


class StrutsSettings(EdgeChoiceSettings):
    width: float = number(4, soft=(0.5, 30), hard=(0, None), headline=True, per_copy=True)
    """How wide the bars are, in scene units."""
    joints: str = choice("round", JOINTS, headline=True)
    """Whether bars meet in balls as wide as they are, or just end."""
    sides: int = integer(8, soft=(3, 24), hard=(3, 64))
    """How many sides a bar has around."""


def struts(mesh, weights, settings) -> Mesh:
    """Make bars of the edges of faces, with joints where they meet.

    weights  (V,) 0..1 from the step's field: the share of the width at each point
    Returns  a Mesh; each bar and each joint is closed
    """
    ends = chosen_edges(mesh, settings)
    first, place = welded(mesh.points)
    # Doubled points along a crease have one bar between them.
    ways = np.sort(place[ends], axis=1)
    ways = np.unique(ways[ways[:, 0] != ways[:, 1]], axis=0)
    if not len(ways):
        return Mesh.empty()
    width = (np.broadcast_to(np.asarray(settings.width, np.float64), len(mesh.points)) * weights)[first]
    has_width = (width[ways] > 0).any(axis=1)
    ways = ways[has_width]
    index = first[ways.reshape(-1)]
    curves = mesh.gathered(index, Topology.of_lines(np.full(len(ways), 2), False))
    bars = swept(curves, round_section(settings.sides, True), width[ways.reshape(-1)], "flat")
    if settings.joints == "none" or not len(ways):
        return bars
    met = np.unique(ways)
    return joined([bars, _balls(mesh.gathered(first[met], _loose(len(met))), width[met] / 2, settings.sides)])


def _loose(count) -> Topology:
    return Topology(np.zeros(1), np.zeros(0), count)


def _balls(places: Mesh, radii, sides) -> Mesh:
    """A ball at each of some points, with what these carry."""
    ball = revolve([bow((0, 0), 1.0, 90, -90, max(4, sides // 2))], max(6, sides))
    count = len(radii)
    at = np.repeat(np.arange(count), len(ball.points))
    points = places.points[at] + np.tile(ball.points, (count, 1)) * radii[at][:, None]
    return Mesh(
        points,
        repeated(replace(ball.topology, outline=np.zeros((0, 2))), count),
        colours=None if places.colours is None else places.colours[at],
        opacity=None if places.opacity is None else places.opacity[at],
        known_normals=np.tile(ball.normals, (count, 1)),
        at_points=places.at_points.gathered(at),
    )


def estimate(settings, shape) -> int:
    """How many points there will be at most: those of bars with their ends, and of balls."""
    total = 0
    for mesh in sources_of(shape):
        edges = len(mesh.topology.face_edges)
        total += 4 * edges * settings.sides
        if settings.joints == "round":
            total += min(2 * edges, len(mesh.points)) * (max(4, settings.sides // 2) + 1) * max(6, settings.sides)
    return total


KIND = Kind(
    "struts",
    "build",
    StrutsSettings,
    struts,
    "Struts **{width}** wide for **{which}** edges, joints **{joints}**",
    advice=no_such_edges,
    estimate=estimate,
    icon="struts",
    version=2,
    words="lattice frame wireframe bars cage scaffold",
)
