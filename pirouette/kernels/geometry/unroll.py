"""Places in a picture that is wrapped around something, for the corners of faces."""

import numpy as np

from ..compile import exact_kernel, frozen
from ..threads import in_slices
from ..types import D


@exact_kernel
def _unrolled(places, is_known, offsets, corners, start, stop, out):
    for face in range(start, stop):
        first, last = offsets[face], offsets[face + 1]
        highest = 0.0
        for c in range(first, last):
            if is_known[corners[c]]:
                highest = max(highest, places[corners[c], 0])
        whole, count = 0.0, 0
        for c in range(first, last):
            p = corners[c]
            out[c, 0], out[c, 1] = places[p, 0], places[p, 1]
            if highest - places[p, 0] > 0.5:
                # The face passes the picture's right edge.
                out[c, 0] += 1.0
            if is_known[p]:
                whole += out[c, 0]
                count += 1
        for c in range(first, last):
            if not is_known[corners[c]]:
                out[c, 0] = whole / max(count, 1)


def unrolled(places, is_known, offsets, corners) -> np.ndarray:
    """Return (C, 2) float64 places of the corners of faces, such that no face leads back across the whole picture.

    places            (V, 2) of the points, the first 0..1 around; of those that are not `is_known` it says nothing
    offsets, corners  (F + 1,) and (C,) int32, see Topology
    """
    out = np.empty((len(corners), 2))
    places, is_known = frozen(places, D), frozen(is_known, np.bool_)
    in_slices(lambda a, b: _unrolled(places, is_known, offsets, corners, a, b, out), len(offsets) - 1)
    return out
