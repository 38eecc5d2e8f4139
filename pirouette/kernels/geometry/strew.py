"""Places on triangles, and of many places those that are far enough from all that were kept before them."""

import numpy as np

from ..compile import exact_kernel, frozen
from ..threads import in_slices
from ..types import F, L


@exact_kernel
def _keep(points, apart, most, low, inv, table, following, kept):
    """Greedy, in the order of the points; `table` holds the first kept point of each hashed cell, -1 for none."""
    count = 0
    mask = L(len(table) - 1)
    square = apart * apart
    for i in range(len(points)):
        if count >= most:
            break
        x = L((points[i, 0] - low[0]) * inv)
        y = L((points[i, 1] - low[1]) * inv)
        z = L((points[i, 2] - low[2]) * inv)
        is_free = True
        for dx in range(-1, 2):
            for dy in range(-1, 2):
                for dz in range(-1, 2):
                    cell = ((x + dx) * L(73856093) ^ (y + dy) * L(19349663) ^ (z + dz) * L(83492791)) & mask
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
            cell = (x * L(73856093) ^ y * L(19349663) ^ z * L(83492791)) & mask
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


@exact_kernel
def _areas(points, triangles, start, stop, out):
    for t in range(start, stop):
        a, b, c = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        ux, uy, uz = points[b, 0] - points[a, 0], points[b, 1] - points[a, 1], points[b, 2] - points[a, 2]
        vx, vy, vz = points[c, 0] - points[a, 0], points[c, 1] - points[a, 1], points[c, 2] - points[a, 2]
        x, y, z = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
        out[t] = np.sqrt(np.float64(x) * x + np.float64(y) * y + np.float64(z) * z) * 0.5


@exact_kernel
def _mix(rows, triangles, face, barys, start, stop, out):
    for i in range(start, stop):
        t = face[i]
        a, b, c = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        for k in range(3):
            out[i, k] = rows[a, k] * barys[i, 0] + rows[b, k] * barys[i, 1] + rows[c, k] * barys[i, 2]


def triangle_areas(points, triangles) -> np.ndarray:
    """Return (T,) float64 areas of triangles (T, 3)."""
    points, triangles = frozen(points), frozen(triangles, np.int32)
    out = np.empty(len(triangles))
    in_slices(lambda a, b: _areas(points, triangles, a, b, out), len(out))
    return out


def mixed_rows(rows, triangles, face, barys) -> np.ndarray:
    """Return (N, 3) float32: rows of the corners of triangles `face` (N,), mixed by barycentrics (N, 3)."""
    rows, triangles, barys = frozen(rows), frozen(triangles, np.int32), frozen(barys)
    face = frozen(face, np.int32)
    out = np.empty((len(face), 3), F)
    in_slices(lambda a, b: _mix(rows, triangles, face, barys, a, b, out), len(out))
    return out
