"""Normals of polygon meshes. Sums run in a fixed order, so results do not depend on the number of threads."""

import numpy as np

from ..compile import flat_rows, frozen, frozen_rows, kernel
from ..threads import in_slices
from ..types import F, W


# Numbers without a sign are not tried for counting from an array's end, and flat arrays not asked for their strides.
@kernel
def _face_normals(points, offsets, corners, out):
    """points and out flat; offsets of these faces, with the end of the last one."""
    for f in range(len(offsets) - 1):
        first = W(offsets[f])
        last = W(offsets[f + 1])
        nx = F(0.0)
        ny = F(0.0)
        nz = F(0.0)
        if last - first == 4:
            # The same as the sum below: the product of a quad's diagonals.
            p = W(3) * W(corners[first])
            q = W(3) * W(corners[first + W(2)])
            ax, ay, az = points[q] - points[p], points[q + W(1)] - points[p + W(1)], points[q + W(2)] - points[p + W(2)]
            p = W(3) * W(corners[first + W(1)])
            q = W(3) * W(corners[first + W(3)])
            bx, by, bz = points[q] - points[p], points[q + W(1)] - points[p + W(1)], points[q + W(2)] - points[p + W(2)]
            nx = ay * bz - az * by
            ny = az * bx - ax * bz
            nz = ax * by - ay * bx
        elif last - first > 2:
            # Twice the vector area. Differences to the first corner keep it exact far from the origin.
            p = W(3) * W(corners[first])
            ox, oy, oz = points[p], points[p + W(1)], points[p + W(2)]
            p = W(3) * W(corners[first + W(1)])
            ax, ay, az = points[p] - ox, points[p + W(1)] - oy, points[p + W(2)] - oz
            for c in range(first + W(2), last):
                p = W(3) * W(corners[c])
                bx, by, bz = points[p] - ox, points[p + W(1)] - oy, points[p + W(2)] - oz
                nx += ay * bz - az * by
                ny += az * bx - ax * bz
                nz += ax * by - ay * bx
                ax, ay, az = bx, by, bz
        out[3 * f] = nx
        out[3 * f + 1] = ny
        out[3 * f + 2] = nz


@kernel
def _point_normals(face_normals, point_offsets, point_faces, out):
    """face_normals and out flat; point_offsets of these points, with the end of the last one."""
    for p in range(len(point_offsets) - 1):
        nx = F(0.0)
        ny = F(0.0)
        nz = F(0.0)
        for k in range(W(point_offsets[p]), W(point_offsets[p + 1])):
            f = W(3) * W(point_faces[k])
            nx += face_normals[f]
            ny += face_normals[f + W(1)]
            nz += face_normals[f + W(2)]
        out[3 * p] = nx
        out[3 * p + 1] = ny
        out[3 * p + 2] = nz
    for p in range(len(point_offsets) - 1):
        nx = out[3 * p]
        ny = out[3 * p + 1]
        nz = out[3 * p + 2]
        length = np.sqrt(nx * nx + ny * ny + nz * nz)
        has_way = length > F(1e-20)
        scale = F(1.0) / (length if has_way else F(1.0))
        out[3 * p] = nx * scale if has_way else F(0.0)
        out[3 * p + 1] = ny * scale if has_way else F(0.0)
        out[3 * p + 2] = nz * scale if has_way else F(1.0)


@kernel
def _count_uses(corners, out):
    for c in range(len(corners)):
        out[corners[c] + 1] += 1
    for p in range(1, len(out)):
        out[p] += out[p - 1]


@kernel
def _fill_uses(offsets, corners, cursor, out):
    for f in range(len(offsets) - 1):
        for c in range(offsets[f], offsets[f + 1]):
            p = corners[c]
            out[cursor[p]] = f
            cursor[p] += 1


@kernel
def _fans(offsets, corners, firsts, start, stop, at, out):
    for f in range(start, stop):
        t = firsts[f]
        for c in range(offsets[f] + 1, offsets[f + 1] - 1):
            at[t, 0], at[t, 1], at[t, 2] = offsets[f], c, c + 1
            out[t, 0], out[t, 1], out[t, 2] = corners[offsets[f]], corners[c], corners[c + 1]
            t += 1


def fans(offsets, corners) -> tuple[np.ndarray, np.ndarray]:
    """Return the faces cut into triangles from their first corners: where in the corners theirs stand, and those.

    Returns  (T, 3) int32 each
    """
    offsets, corners = frozen(offsets, np.int32), frozen(corners, np.int32)
    ends = np.cumsum(np.maximum(np.diff(offsets) - 2, 0))
    firsts = frozen(np.concatenate([[0], ends]), np.int32)
    at, out = np.empty((2, firsts[-1], 3), np.int32)
    in_slices(lambda a, b: _fans(offsets, corners, firsts, a, b, at, out), len(offsets) - 1)
    return frozen(at, np.int32), frozen(out, np.int32)


def face_normals(points, offsets, corners) -> np.ndarray:
    """Return (F, 3) float32 vectors along each face's normal, as long as twice its area."""
    points, offsets, corners = frozen_rows(points, 3), frozen(offsets, np.int32), frozen(corners, np.int32)
    out = np.empty((len(offsets) - 1, 3), F)
    flat = points.reshape(-1)
    in_slices(lambda a, b: _face_normals(flat, offsets[a : b + 1], corners, flat_rows(out, a, b)), len(out))
    return out


def point_normals(face_vectors, point_offsets, point_faces) -> np.ndarray:
    """Return (V, 3) float32 unit normals, each the area-weighted mean of the faces at a point.

    A point without any face, or whose faces cancel out, gets (0, 0, 1).
    """
    face_vectors = frozen_rows(face_vectors, 3)
    point_offsets, point_faces = frozen(point_offsets, np.int32), frozen(point_faces, np.int32)
    out = np.empty((len(point_offsets) - 1, 3), F)
    flat = face_vectors.reshape(-1)
    in_slices(lambda a, b: _point_normals(flat, point_offsets[a : b + 1], point_faces, flat_rows(out, a, b)), len(out))
    return out


def faces_at_points(point_count, offsets, corners) -> tuple[np.ndarray, np.ndarray]:
    """Return (V + 1,) offsets and the faces that use each point, in the order of the faces."""
    offsets, corners = frozen(offsets, np.int32), frozen(corners, np.int32)
    starts = np.zeros(point_count + 1, np.int32)
    _count_uses(corners, starts)
    uses = np.empty(len(corners), np.int32)
    _fill_uses(offsets, corners, starts[:-1].copy(), uses)
    return starts, uses
