"""Finer faces, smoothed or kept where they are."""

import numpy as np

from ...data import Mesh, sources_of
from ...geometry.subdivision import subdivision_of
from ...schema import Kind, Settings, choice, integer


class SubdivideSettings(Settings):
    times: int = integer(1, soft=(0, 4), hard=(0, 7), headline=True)
    """How often each face is cut into smaller ones."""
    surface: str = choice("smooth", ("smooth", "as it is"), headline=True)
    """Round the shape, or only cut its faces."""


def subdivide(mesh, weights, settings) -> Mesh:
    """Cut every face into quads, one for each of its corners.

    weights  (V,) 0..1 from the step's field: how much of the rounding each point gets
    Returns  a Mesh of all quads; curves keep their points
    Source  E. Catmull and J. Clark, "Recursively generated B-spline surfaces", Computer-Aided Design 10 (1978)
    """
    for _ in range(settings.times):
        mesh, weights = _once(mesh, weights, settings.surface == "smooth")
    return mesh


def _once(mesh, weights, is_smooth):
    if not mesh.topology.face_count:
        return mesh, weights
    cut = subdivision_of(mesh.topology)
    made = cut.mesh(mesh, weights, is_smooth)
    if (weights == 1).all():
        return made, np.ones(len(made.points), np.float32)
    return made, cut.refined(weights[:, None], weights, False)[:, 0]


def estimate(settings, shape) -> int:
    """How many points there will be: each round adds one for each edge and one for each face."""
    total = 0
    for mesh in sources_of(shape):
        topology = mesh.topology
        points, edges, faces, corners = (
            len(mesh.points), len(topology.face_edges), topology.face_count, len(topology.corners),
        )  # fmt: skip
        for _ in range(settings.times):
            points, edges, faces, corners = points + edges + faces, 2 * edges + corners, corners, 4 * corners
        total += points
    return total


KIND = Kind(
    "subdivide",
    "build",
    SubdivideSettings,
    subdivide,
    "Subdivide **{times}** times, **{surface}**",
    estimate=estimate,
    icon="subdivide",
    words="smooth refine divide finer detail",
)
