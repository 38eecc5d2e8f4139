"""Keeps of many places those that are far enough from all that were kept before them."""

import numpy as np

from .compile import exact_kernel, frozen

F = np.float32
I = np.int64  # noqa: E741


@exact_kernel
def _keep(points, apart, most, low, inv, table, following, kept):
    """Greedy, in the order of the points; `table` holds the first kept point of each hashed cell, -1 for none."""
    count = 0
    mask = I(len(table) - 1)
    square = apart * apart
    for i in range(len(points)):
        if count >= most:
            break
        x = I((points[i, 0] - low[0]) * inv)
        y = I((points[i, 1] - low[1]) * inv)
        z = I((points[i, 2] - low[2]) * inv)
        is_free = True
        for dx in range(-1, 2):
            for dy in range(-1, 2):
                for dz in range(-1, 2):
                    cell = ((x + dx) * I(73856093) ^ (y + dy) * I(19349663) ^ (z + dz) * I(83492791)) & mask
                    j = table[cell]
                    while j >= 0 and is_free:
                        a = points[i, 0] - points[j, 0]
                        b = points[i, 1] - points[j, 1]
                        c = points[i, 2] - points[j, 2]
                        is_free = a * a + b * b + c * c >= square
                        j = following[j]
                    if not is_free:
                        break
                if not is_free:
                    break
            if not is_free:
                break
        if is_free:
            cell = (x * I(73856093) ^ y * I(19349663) ^ z * I(83492791)) & mask
            following[i] = table[cell]
            table[cell] = i
            kept[count] = i
            count += 1
    return count


def keep_apart(points, apart: float, most: int) -> np.ndarray:
    """Return the numbers of the points (N, 3) that are kept, at most so many, no two closer than `apart`.

    They are tried in their order, so those kept first do not change when more are asked for.
    """
    points = frozen(points)
    if not len(points) or apart <= 0:
        return np.arange(min(len(points), most))
    size = 1
    while size < 2 * min(len(points), max(most, 1)):
        size *= 2
    table = np.full(size, -1, np.int64)
    following = np.full(len(points), -1, np.int64)
    kept = np.empty(len(points), np.int64)
    low = frozen(points.min(axis=0))
    count = _keep(points, F(apart), most, low, F(1 / apart), table, following, kept)
    return kept[:count]
