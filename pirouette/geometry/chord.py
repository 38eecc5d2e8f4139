"""How long the way is through a body."""

import numpy as np

from ..data.mesh import Mesh
from ..kernels.geometry.strew import triangle_areas


def mean_chord(mesh: Mesh) -> float:
    """Return how long the way through a body is on the mean, by Cauchy: infinite if it is not closed.

    Source  A. Cauchy, "Mémoire sur la rectification des courbes et la quadrature des surfaces courbes" (1832)
    """
    triangles = mesh.topology.triangles
    if not mesh.topology.is_closed or not len(triangles):
        return np.inf
    a, b, c = (mesh.points[triangles[:, corner]].astype(np.float64) for corner in range(3))
    volume = abs(np.einsum("ti,ti->", a, np.cross(b, c))) / 6
    area = float(triangle_areas(mesh.points, triangles).sum())
    return 4 * volume / area if area else 0.0
