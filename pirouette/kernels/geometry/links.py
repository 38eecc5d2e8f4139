"""Which of many possible links between points are taken: the shortest first, and no more at any point than allowed."""

import numpy as np

from ..compile import exact_kernel


@exact_kernel
def _taken(ends, most, degrees, out):
    """ends flat, two for each link, the shortest first."""
    for n in range(len(ends) // 2):
        a, b = ends[2 * n], ends[2 * n + 1]
        out[n] = degrees[a] < most and degrees[b] < most
        if out[n]:
            degrees[a] += 1
            degrees[b] += 1


def taken(ends, point_count: int, most: int) -> np.ndarray:
    """Return (E,) bool: which links are taken of those between points (E, 2), the shortest first.

    most  links at each point
    """
    out = np.zeros(len(ends), bool)
    flat = np.ascontiguousarray(ends, np.int64).reshape(-1)
    _taken(flat, most, np.zeros(point_count, np.int64), out)
    return out
