"""What triangles of a solid carry that lie within those of others: normals, and what is mixed from their corners'."""

import numpy as np

from ..compile import exact_bare_kernel, exact_kernel, frozen
from ..threads import in_slices

# Triangles, or points, that a thread does at a time.
_SLICE = 4096


@exact_bare_kernel
def _at(points, place):
    return np.float64(points[place, 0]), np.float64(points[place, 1]), np.float64(points[place, 2])


@exact_bare_kernel
def _shares(points, a, b, c, place_points, place):
    """How much of each corner of a source's triangle there is in a place within it."""
    ax, ay, az = _at(points, a)
    bx, by, bz = _at(points, b)
    cx, cy, cz = _at(points, c)
    px, py, pz = _at(place_points, place)
    ux, uy, uz = bx - ax, by - ay, bz - az
    vx, vy, vz = cx - ax, cy - ay, cz - az
    uu, uv, vv = ux * ux + uy * uy + uz * uz, ux * vx + uy * vy + uz * vz, vx * vx + vy * vy + vz * vz
    det = max(uu * vv - uv * uv, 1e-30)
    dx, dy, dz = px - ax, py - ay, pz - az
    du, dv = dx * ux + dy * uy + dz * uz, dx * vx + dy * vy + dz * vz
    second, third = (vv * du - uv * dv) / det, (uu * dv - uv * du) / det
    first = min(max(1 - second - third, 0.0), 1.0)
    second, third = min(max(second, 0.0), 1.0), min(max(third, 0.0), 1.0)
    total = max(first + second + third, 1e-12)
    return first / total, second / total, third / total


@exact_kernel
def _shares_at(points, triangles, corners, within, source_points, start, stop, out):
    for n in range(start, stop):
        place = triangles[corners[n] // 3, corners[n] % 3]
        shares = _shares(source_points, within[n, 0], within[n, 1], within[n, 2], points, place)
        out[n, 0], out[n, 1], out[n, 2] = shares


def shares_at(points, triangles, corners, within, source_points) -> np.ndarray:
    """Return the shares (N, 3) float64 of source triangles' corners in those of result triangles.

    points   (P, 3) of the result; triangles (T, 3); corners (N,) of these
    within   (N, 3) the points of the source's triangle that each lies within, of source_points (V, 3)
    """
    out = np.empty((len(corners), 3))
    arrays = (
        frozen(points), frozen(triangles, np.int32), frozen(corners, np.int64), frozen(within, np.int32),
        frozen(source_points),
    )  # fmt: skip
    in_slices(lambda a, b: _shares_at(*arrays, a, b, out), len(corners), _SLICE)
    return out


@exact_bare_kernel
def _is_at(points, place, source_points, point):
    return (
        points[place, 0] == source_points[point, 0]
        and points[place, 1] == source_points[point, 1]
        and points[place, 2] == source_points[point, 2]
    )


@exact_bare_kernel
def _turns(points, triangles, n, source_points, one, two, three):
    """By how many corners a triangle that is the whole of a source's is turned against it; -1 for a part of it."""
    a, b, c = triangles[n, 0], triangles[n, 1], triangles[n, 2]
    if _is_at(points, a, source_points, one):
        is_whole = _is_at(points, b, source_points, two) and _is_at(points, c, source_points, three)
        return 0 if is_whole else -1
    if _is_at(points, a, source_points, two):
        is_whole = _is_at(points, b, source_points, three) and _is_at(points, c, source_points, one)
        return 1 if is_whole else -1
    if _is_at(points, a, source_points, three):
        is_whole = _is_at(points, b, source_points, one) and _is_at(points, c, source_points, two)
        return 2 if is_whole else -1
    return -1


@exact_bare_kernel
def _unit(normals, point):
    """A normal of length 1; 0 where there is none."""
    x, y, z = _at(normals, point)
    length = np.sqrt(x * x + y * y + z * z)
    if length < 1e-12:
        return 0.0, 0.0, 0.0
    return x / length, y / length, z / length


@exact_bare_kernel
def _has_length(normals, point):
    x, y, z = _at(normals, point)
    return x * x + y * y + z * z >= 1e-24


@exact_kernel
def _have_length(normals):
    for point in range(len(normals)):  # noqa: SIM110 - kernels have no generators
        if not _has_length(normals, point):
            return False
    return True


@exact_kernel
def _clothe(
    points, triangles, owners, owner, known, source_points, within, source_normals, is_inner, have_length,
    start, stop, normals, origins,
):  # fmt: skip
    """The normals of one source's triangles, or which points of the source those of its whole triangles are."""
    has_normals, has_origins = len(source_normals) > 0, len(origins) > 0
    for n in range(start, stop):
        if owners[n] != owner:
            continue
        triangle = known[n]
        is_within = triangle >= 0 and has_normals
        if is_within:
            one, two, three = within[triangle, 0], within[triangle, 1], within[triangle, 2]
            turns = -1
            if has_origins:
                turns = _turns(points, triangles, n, source_points, one, two, three)
            if turns >= 0:
                if have_length or (
                    _has_length(source_normals, one)
                    and _has_length(source_normals, two)
                    and _has_length(source_normals, three)
                ):
                    for k in range(3):
                        origins[3 * n + k] = within[triangle, k + turns if k + turns < 3 else k + turns - 3]
                    continue
        a, b, c = triangles[n, 0], triangles[n, 1], triangles[n, 2]
        ax, ay, az = _at(points, a)
        bx, by, bz = _at(points, b)
        cx, cy, cz = _at(points, c)
        ux, uy, uz = bx - ax, by - ay, bz - az
        vx, vy, vz = cx - ax, cy - ay, cz - az
        flat_x, flat_y, flat_z = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
        length = np.sqrt(flat_x * flat_x + flat_y * flat_y + flat_z * flat_z)
        scale = 1 / length if length > 1e-12 else 0.0
        flat_x, flat_y, flat_z = flat_x * scale, flat_y * scale, flat_z * scale
        for k in range(3):
            row = 3 * n + k
            normals[row, 0], normals[row, 1], normals[row, 2] = flat_x, flat_y, flat_z
            if not is_within:
                continue
            place = triangles[n, k]
            first, second, third = _shares(source_points, one, two, three, points, place)
            x = first * source_normals[one, 0] + second * source_normals[two, 0] + third * source_normals[three, 0]
            y = first * source_normals[one, 1] + second * source_normals[two, 1] + third * source_normals[three, 1]
            z = first * source_normals[one, 2] + second * source_normals[two, 2] + third * source_normals[three, 2]
            length = np.sqrt(x * x + y * y + z * z)
            if length < 1e-12:
                continue
            # What a solid lost lies inside the other one: it is seen from there.
            if is_inner and x * flat_x + y * flat_y + z * flat_z < 0:
                length = -length
            normals[row, 0], normals[row, 1], normals[row, 2] = x / length, y / length, z / length


def clothe(
    points, triangles, owners, owner: int, known, source_points, within, source_normals, is_inner: bool,
    normals, origins,
):  # fmt: skip
    """Write the normals of the triangles of one source.

    points, triangles  (P, 3) and (T, 3) of the result
    owners   (T,) whose each of them is, and by which number the source goes there
    known    (T,) which triangle of their source's each lies within; those of none (-1) have their own flat normals
    source_points   (V, 3), within (S, 3) the points of its triangles
    source_normals  (V, 3), or (0, 3) where its faces are flat
    is_inner  whether the normals are turned to where its triangles are seen from
    normals   (3T, 3) float64, of which those of these triangles are written
    origins   (3T,) int32, or (0,): of triangles that are whole ones of the source's the points that their corners
              are, which have their normals, is written instead
    """
    arrays = (
        frozen(points), frozen(triangles, np.int32), frozen(owners, np.int32), owner,
        frozen(known, np.int32), frozen(source_points), frozen(within, np.int32), frozen(source_normals),
        is_inner, _have_length(frozen(source_normals)),
    )  # fmt: skip
    in_slices(lambda a, b: _clothe(*arrays, a, b, normals, origins), len(triangles), _SLICE)


@exact_kernel
def _corners_mixed(points, triangles, known, source_points, within, corners, values, start, stop, out):
    for n in range(start, stop):
        triangle = known[n]
        if triangle < 0:
            continue
        for k in range(3):
            place = triangles[n, k]
            first, second, third = _shares(
                source_points, within[triangle, 0], within[triangle, 1], within[triangle, 2], points, place
            )
            for column in range(values.shape[1]):
                out[3 * n + k, column] = (
                    first * values[corners[triangle, 0], column]
                    + second * values[corners[triangle, 1], column]
                    + third * values[corners[triangle, 2], column]
                )


def corners_mixed(points, triangles, known, source_points, within, corners, values, count: int) -> np.ndarray:
    """Return what corners carry of a source's: (count, K) float32, the first of them those of triangles.

    points, triangles  (P, 3) and (T, 3) of the result
    known    (T,) which triangle of the source's each lies within; zeros for those of none (-1), and for all that follow
    source_points   (V, 3), within (S, 3) the points of its triangles, and corners (S, 3) where these stand in
    values   (C, K) of the source's corners
    """
    out = np.zeros((count, values.shape[1]), np.float32)
    arrays = (
        frozen(points), frozen(triangles, np.int32), frozen(known, np.int32),
        frozen(source_points), frozen(within, np.int32), frozen(corners, np.int32), frozen(values),
    )  # fmt: skip
    in_slices(lambda a, b: _corners_mixed(*arrays, a, b, out), len(triangles), _SLICE)
    return out


@exact_bare_kernel
def normal_of(normals, origins, source_normals, c):
    if origins[c] >= 0:
        return _unit(source_normals, origins[c])
    return normals[c, 0], normals[c, 1], normals[c, 2]


@exact_kernel
def _gather(points, corners, normals, origins, source_normals, firsts, start, stop, at, out):
    for n in range(start, stop):
        place = corners[firsts[n]]
        at[n, 0], at[n, 1], at[n, 2] = points[place, 0], points[place, 1], points[place, 2]
        out[n, 0], out[n, 1], out[n, 2] = normal_of(normals, origins, source_normals, firsts[n])


def gather(points, triangles, normals, origins, source_normals, firsts) -> tuple[np.ndarray, np.ndarray]:
    """Return the places and normals, (P, 3) float32 each, of corners firsts (P,) of triangles (T, 3); see `clothe`."""
    at, out = np.empty((len(firsts), 3), np.float32), np.empty((len(firsts), 3), np.float32)
    arrays = (
        frozen(points), frozen(triangles.reshape(-1), np.int32), frozen(normals, np.float64),
        frozen(origins, np.int32), frozen(source_normals), frozen(firsts, np.int32),
    )  # fmt: skip
    in_slices(lambda a, b: _gather(*arrays, a, b, at, out), len(firsts), _SLICE)
    return at, out
