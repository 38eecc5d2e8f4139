"""Points that stand in one place, taken for one: forms double theirs where they are creased."""

import numpy as np


def welded(points) -> tuple[np.ndarray, np.ndarray]:
    """Return (W,) the first point in each place, in their order, and (V,) which of these places each point is in.

    points  (V, 3) float32; places are the same if all bits are, but for the sign of zero
    """
    bits = (np.ascontiguousarray(points, np.float32) + np.float32(0)).view(np.uint32).astype(np.uint64)
    # A product with odd numbers loses nothing of one coordinate; what little meets by chance is told apart below.
    with np.errstate(over="ignore"):
        mixed = bits[:, 0] * np.uint64(0x9E3779B97F4A7C15) ^ bits[:, 1] * np.uint64(0xC2B2AE3D27D4EB4F)
        mixed = (mixed ^ mixed >> np.uint64(29)) * np.uint64(0xBF58476D1CE4E5B9) ^ bits[:, 2] * np.uint64(
            0x94D049BB133111EB
        )
    if np.diff(np.sort(mixed)).all():
        # Most forms have no two points in one place.
        each = np.arange(len(points))
        return each, each
    _, first, place = np.unique(mixed, return_index=True, return_inverse=True)
    if (bits[first[place]] != bits).any():
        _, first, place = np.unique(bits, axis=0, return_index=True, return_inverse=True)
        place = place.reshape(-1)
    order = np.argsort(first, kind="stable")
    number = np.empty(len(first), np.int64)
    number[order] = np.arange(len(first))
    return first[order], number[place]
