"""Edges of faces as curves."""

import numpy as np

from ...craft.edge_choice import EdgeChoiceSettings, chosen_edges, no_such_edges
from ...data import Mesh, sources_of
from ...geometry.edges import chained
from ...schema import Kind


def edges(mesh, weights, settings) -> Mesh:
    """Make curves of the edges of faces; curves that are there already stay, faces do not.

    weights  (V,) 0..1 from the step's field: edges stay where both ends have at least one half
    Returns  a Mesh of curves: each edge by itself where all are meant, else runs of them
    """
    ends = chosen_edges(mesh, settings)
    ends = ends[(weights[ends] >= 0.5).all(axis=1)]
    if settings.which == "all":
        runs, closed = [*ends], [False] * len(ends)
    else:
        runs, closed = chained(ends)
    lines = mesh.topology.lines
    if lines is not None:
        runs += np.split(lines.corners, lines.offsets[1:-1])
        closed += [*lines.closed]
    if not runs:
        return Mesh.empty()
    index = np.concatenate(runs)
    made = Mesh.curves(mesh.points[index], [len(run) for run in runs], np.array(closed, bool))
    carried = mesh.gathered(index, made.topology)
    return Mesh(
        made.points,
        made.topology,
        colours=carried.colours,
        opacity=carried.opacity,
        at_points=carried.at_points.with_(along=made.at_points["along"]),
    )


def estimate(shape) -> int:
    """How many points there will be at most: two for each edge, and those of the curves."""
    return sum(
        2 * len(mesh.topology.face_edges) + (len(mesh.topology.lines.corners) if mesh.topology.lines else 0)
        for mesh in sources_of(shape)
    )


KIND = Kind(
    "edges",
    "build",
    EdgeChoiceSettings,
    edges,
    "Edges as curves: **{which}**, sharp from **{angle}**",
    advice=no_such_edges,
    estimate=estimate,
    icon="edges",
    words="wireframe outline lines curves",
)
