"""Normals of polygon meshes. Sums run in a fixed order, so results do not depend on the number of threads."""

import numpy as np

from .compile import frozen, kernel
from .threads import in_slices

F = np.float32


@kernel
def _face_normals(points, offsets, corners, start, stop, out):
    for f in range(start, stop):
        first = offsets[f]
        last = offsets[f + 1]
        nx = F(0.0)
        ny = F(0.0)
        nz = F(0.0)
        if last - first > 2:
            # Twice the vector area. Differences to the first corner keep it exact far from the origin.
            ox = points[corners[first], 0]
            oy = points[corners[first], 1]
            oz = points[corners[first], 2]
            ax = points[corners[first + 1], 0] - ox
            ay = points[corners[first + 1], 1] - oy
            az = points[corners[first + 1], 2] - oz
            for c in range(first + 2, last):
                bx = points[corners[c], 0] - ox
                by = points[corners[c], 1] - oy
                bz = points[corners[c], 2] - oz
                nx += ay * bz - az * by
                ny += az * bx - ax * bz
                nz += ax * by - ay * bx
                ax = bx
                ay = by
                az = bz
        out[f, 0] = nx
        out[f, 1] = ny
        out[f, 2] = nz


@kernel
def _point_normals(face_normals, point_offsets, point_faces, start, stop, out):
    for p in range(start, stop):
        nx = F(0.0)
        ny = F(0.0)
        nz = F(0.0)
        for k in range(point_offsets[p], point_offsets[p + 1]):
            f = point_faces[k]
            nx += face_normals[f, 0]
            ny += face_normals[f, 1]
            nz += face_normals[f, 2]
        length = np.sqrt(nx * nx + ny * ny + nz * nz)
        scale = F(1.0) / length if length > F(1e-20) else F(0.0)
        out[p, 0] = nx * scale
        out[p, 1] = ny * scale
        out[p, 2] = nz * scale if length > F(1e-20) else F(1.0)


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


def face_normals(points, offsets, corners) -> np.ndarray:
    """Return (F, 3) float32 vectors along each face's normal, as long as twice its area."""
    points, offsets, corners = frozen(points), frozen(offsets, np.int32), frozen(corners, np.int32)
    out = np.empty((len(offsets) - 1, 3), F)
    in_slices(lambda a, b: _face_normals(points, offsets, corners, a, b, out), len(out))
    return out


def point_normals(face_vectors, point_offsets, point_faces) -> np.ndarray:
    """Return (V, 3) float32 unit normals, each the area-weighted mean of the faces at a point.

    A point without any face, or whose faces cancel out, gets (0, 0, 1).
    """
    face_vectors = frozen(face_vectors)
    point_offsets, point_faces = frozen(point_offsets, np.int32), frozen(point_faces, np.int32)
    out = np.empty((len(point_offsets) - 1, 3), F)
    in_slices(lambda a, b: _point_normals(face_vectors, point_offsets, point_faces, a, b, out), len(out))
    return out


def faces_at_points(point_count, offsets, corners) -> tuple[np.ndarray, np.ndarray]:
    """Return (V + 1,) offsets and the faces that use each point, in the order of the faces."""
    offsets, corners = frozen(offsets, np.int32), frozen(corners, np.int32)
    starts = np.zeros(point_count + 1, np.int32)
    _count_uses(corners, starts)
    uses = np.empty(len(corners), np.int32)
    _fill_uses(offsets, corners, starts[:-1].copy(), uses)
    return starts, uses
