"""Cuts triangles that cross the eye's plane, or reach too far beside the picture for fixed-point numbers."""

from ..compile import exact_kernel

GUARD = 8192.0  # screen positions beyond this many pixels are clipped before they become fixed-point


@exact_kernel
def cut_triangle(surfaces, k, pa, pb, pc, near, first, second):
    """Project a triangle of instance k, cut it by the near plane and the guard band, and leave its corners in `second`.

    Returns how many corners there are, each a row (x·w, y·w, w); fewer than three if nothing is left. What stands in
    further columns of the three rows of `first` is cut with them.
    """
    for r in range(3):
        p = pa if r == 0 else (pb if r == 1 else pc)
        for row in range(3):
            first[r, row] = surfaces.screen[k, row, 3]
            first[r, row] += surfaces.screen[k, row, 0] * surfaces.px[p]
            first[r, row] += surfaces.screen[k, row, 1] * surfaces.py[p]
            first[r, row] += surfaces.screen[k, row, 2] * surfaces.pz[p]
    count = 3
    for plane in range(5):
        if plane % 2 == 0:
            count = _clip(first, count, plane, second, near)
        else:
            count = _clip(second, count, plane, first, near)
        if count < 3:
            return 0
    # Five planes: the last cut wrote into `second`.
    return count


@exact_kernel
def _clip(polygon, count, plane, out, near):
    """Cut a polygon by one plane; returns the number of corners left."""
    kept = 0
    for i in range(count):
        j = (i + 1) % count
        a = _side(polygon[i], plane, near)
        b = _side(polygon[j], plane, near)
        if a >= 0:
            for k in range(polygon.shape[1]):
                out[kept, k] = polygon[i, k]
            kept += 1
        if (a >= 0) != (b >= 0):
            t = a / (a - b)
            for k in range(polygon.shape[1]):
                out[kept, k] = polygon[i, k] + (polygon[j, k] - polygon[i, k]) * t
            kept += 1
    return kept


@exact_kernel
def _side(corner, plane, near):
    if plane == 0:
        return corner[2] - near
    if plane == 1:
        return corner[0] + GUARD * corner[2]
    if plane == 2:
        return GUARD * corner[2] - corner[0]
    if plane == 3:
        return corner[1] + GUARD * corner[2]
    return GUARD * corner[2] - corner[1]
