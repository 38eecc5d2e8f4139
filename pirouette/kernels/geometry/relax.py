"""Points moved towards the mean of those they are joined to."""

import numpy as np

from ..compile import exact_kernel
from ..threads import in_slices


@exact_kernel
def _step(points, offsets, neighbours, shares, start, stop, out):
    for i in range(start, stop):
        first, last = offsets[i], offsets[i + 1]
        x = y = z = 0.0
        for n in range(first, last):
            j = neighbours[n]
            x += points[j, 0]
            y += points[j, 1]
            z += points[j, 2]
        count = max(last - first, 1)
        share = shares[i] if last > first else 0.0
        out[i, 0] = points[i, 0] + (x / count - points[i, 0]) * share
        out[i, 1] = points[i, 1] + (y / count - points[i, 1]) * share
        out[i, 2] = points[i, 2] + (z / count - points[i, 2]) * share


def relaxed(points, offsets, neighbours, shares, back: float, times: int) -> np.ndarray:
    """Return (V, 3) float64 points moved so many times towards the mean of their neighbours.

    points                 (V, 3) float64
    offsets, neighbours    (V + 1,) and (N,) int64: the neighbours of each point
    shares                 (V,) of the way, 0..1
    back                   each time they are then moved away again by this share, so that nothing shrinks; 0 for not
    Source  G. Taubin, "A signal processing approach to fair surface design", SIGGRAPH 1995
    """
    one, two = np.array(points, np.float64), np.empty((len(points), 3))
    amounts = [np.ascontiguousarray(shares, np.float64)]
    if back:
        amounts.append(amounts[0] * -back)
    for _ in range(times):
        for amount in amounts:
            in_slices(lambda a, b, one=one, two=two, amount=amount: _step(one, offsets, neighbours, amount, a, b, two),
                      len(one), 4096)  # fmt: skip
            one, two = two, one
    return one
