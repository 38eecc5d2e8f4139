"""Places of copies: quaternions (x, y, z, w), and their product with other places as 3×4 matrices."""

from functools import lru_cache

import numpy as np

from ..compile import bare_kernel, exact_kernel, flat_rows, frozen, frozen_rows, kernel, same_count
from ..threads import in_slices
from ..types import HALF, ONE, TWO, ZERO, F

QUARTERS = F(1.0 / 180.0)  # half of an angle in degrees, in quarters of a turn
RIGHT_ANGLE = F(np.pi / 2)
IDENTITY = np.eye(3, 4)


SHORTEST = 1e-12


def carried(points, matrix) -> np.ndarray:
    """Return (…, 3) points carried along by a (3, 4) or (4, 4) matrix, in their own dtype; not changed."""
    matrix = np.asarray(matrix)
    if np.array_equal(matrix[:3], IDENTITY):
        return points
    points = np.asarray(points)
    matrix = matrix.astype(points.dtype if points.dtype.kind == "f" else np.float64)
    return points @ matrix[:3, :3].T + matrix[:3, 3]


def turned_back(ways, matrix) -> np.ndarray:
    """Return (N, 3) directions as they are in the space that a (4, 4) matrix leads out of."""
    return carried(ways, np.hstack([inverted(matrix[:3, :3]), np.zeros((3, 1))]))


@lru_cache(4096)
def _inverted(size: int, data: bytes) -> np.ndarray:
    back = np.linalg.pinv(np.frombuffer(data, np.float64).reshape(size, size))
    back.flags.writeable = False
    return back


def inverted(matrix) -> np.ndarray:
    """Return the float64 pseudo-inverse of a square matrix: what leads back, or the nearest to it where nothing does.

    Places that stay, or come round again, are asked for over and over, so each is found once.
    """
    matrix = np.ascontiguousarray(matrix, np.float64)
    return _inverted(len(matrix), matrix.tobytes())


@exact_kernel
def _lengths(rows, out):
    for i in range(len(out)):
        x, y, z = rows[3 * i], rows[3 * i + 1], rows[3 * i + 2]
        out[i] = np.sqrt(x * x + y * y + z * z)


@exact_kernel
def _units(rows, out):
    for i in range(len(out) // 3):
        x, y, z = rows[3 * i], rows[3 * i + 1], rows[3 * i + 2]
        length = np.sqrt(x * x + y * y + z * z)
        is_long = length > F(SHORTEST)
        length = max(length, F(SHORTEST))
        out[3 * i] = x / length if is_long else ZERO
        out[3 * i + 1] = y / length if is_long else ZERO
        out[3 * i + 2] = z / length if is_long else ZERO


def lengths(rows) -> np.ndarray:
    """Return (N,) float32 lengths of (N, 3) rows."""
    rows = frozen_rows(rows, 3)
    out = np.empty(len(rows), F)
    in_slices(lambda a, b: _lengths(flat_rows(rows, a, b), out[a:b]), len(out))
    return out


def unit_rows(rows) -> np.ndarray:
    """Return (N, K) rows of length 1, in their own dtype; rows of no length are 0."""
    rows = np.asarray(rows)
    if rows.ndim == 2 and rows.shape[1] == 3 and rows.dtype == F:
        rows = frozen(rows)
        out = np.empty(rows.shape, F)
        in_slices(lambda a, b: _units(flat_rows(rows, a, b), flat_rows(out, a, b)), len(out))
        return out
    length = np.linalg.norm(rows, axis=-1, keepdims=True)
    return (rows / np.maximum(length, SHORTEST) * (length > SHORTEST)).astype(rows.dtype, copy=False)


@kernel
def _sine_cosine(degrees):
    """Sine and cosine of half of an angle in degrees, within 1e-7 of an angle known to float32.

    Source: the polynomials of S. Moshier's Cephes library for a quarter of a turn around 0.
    """
    quarters = degrees * QUARTERS
    nearest = np.floor(quarters + HALF)
    r = (quarters - nearest) * RIGHT_ANGLE
    square = r * r
    sine = r + r * square * (F(-1.6666654611e-1) + square * (F(8.3321608736e-3) + square * F(-1.9515295891e-4)))
    cosine = F(4.166664568298827e-2) + square * (F(-1.388731625493765e-3) + square * F(2.443315711809948e-5))
    cosine = ONE - HALF * square + square * square * cosine
    turn = nearest - F(4.0) * np.floor(nearest * F(0.25))
    is_odd = (turn == ONE) | (turn == F(3.0))
    first = cosine if is_odd else sine
    second = sine if is_odd else cosine
    return (-first if turn >= TWO else first), (-second if (turn == ONE) | (turn == TWO) else second)


@bare_kernel
def _turn(x, y, z):
    sx, cx = _sine_cosine(x)
    sy, cy = _sine_cosine(y)
    sz, cz = _sine_cosine(z)
    return (
        sx * cy * cz - cx * sy * sz,
        cx * sy * cz + sx * cy * sz,
        cx * cy * sz - sx * sy * cz,
        cx * cy * cz + sx * sy * sz,
    )


@kernel
def _euler(degrees, out):
    for i in range(len(out) // 4):
        out[4 * i], out[4 * i + 1], out[4 * i + 2], out[4 * i + 3] = _turn(
            degrees[3 * i], degrees[3 * i + 1], degrees[3 * i + 2]
        )


@bare_kernel
def _put_turned(rotation, x, y, z, out, i):
    ax, ay, az, aw = rotation[4 * i], rotation[4 * i + 1], rotation[4 * i + 2], rotation[4 * i + 3]
    bx, by, bz, bw = _turn(x, y, z)
    out[4 * i] = aw * bx + ax * bw + ay * bz - az * by
    out[4 * i + 1] = aw * by - ax * bz + ay * bw + az * bx
    out[4 * i + 2] = aw * bz + ax * by - ay * bx + az * bw
    out[4 * i + 3] = aw * bw - ax * bx - ay * by - az * bz


@kernel
def _turned(rotation, degrees, out):
    for i in range(len(out) // 4):
        _put_turned(rotation, degrees[3 * i], degrees[3 * i + 1], degrees[3 * i + 2], out, i)


@kernel
def _turned_alike(rotation, amount, weights, out):
    x, y, z = amount[0], amount[1], amount[2]
    for i in range(len(weights)):
        _put_turned(rotation, x * weights[i], y * weights[i], z * weights[i], out, i)


@kernel
def _compose(position, rotation, scale, out):
    for i in range(len(out) // 12):
        x, y, z, w = rotation[4 * i], rotation[4 * i + 1], rotation[4 * i + 2], rotation[4 * i + 3]
        sx, sy, sz = scale[3 * i], scale[3 * i + 1], scale[3 * i + 2]
        out[12 * i] = (ONE - TWO * (y * y + z * z)) * sx
        out[12 * i + 1] = TWO * (x * y - z * w) * sy
        out[12 * i + 2] = TWO * (x * z + y * w) * sz
        out[12 * i + 3] = position[3 * i]
        out[12 * i + 4] = TWO * (x * y + z * w) * sx
        out[12 * i + 5] = (ONE - TWO * (x * x + z * z)) * sy
        out[12 * i + 6] = TWO * (y * z - x * w) * sz
        out[12 * i + 7] = position[3 * i + 1]
        out[12 * i + 8] = TWO * (x * z - y * w) * sx
        out[12 * i + 9] = TWO * (y * z + x * w) * sy
        out[12 * i + 10] = (ONE - TWO * (x * x + y * y)) * sz
        out[12 * i + 11] = position[3 * i + 2]


@kernel
def _chain(outer, inner, start, stop, out):
    """out[o * inner_count + i] = outer[o] after inner[i], for the flat range start..stop."""
    inner_count = len(inner)
    for k in range(start, stop):
        o = k // inner_count
        i = k - o * inner_count
        for r in range(3):
            a, b, c, d = outer[o, r, 0], outer[o, r, 1], outer[o, r, 2], outer[o, r, 3]
            for column in range(4):
                value = a * inner[i, 0, column] + b * inner[i, 1, column] + c * inner[i, 2, column]
                out[k, r, column] = value + d if column == 3 else value


def euler_to_quaternion(degrees) -> np.ndarray:
    """Return (N, 4) unit quaternions of turns in degrees about x, then y, then z; degrees is (N, 3)."""
    degrees = frozen_rows(degrees, 3)
    out = np.empty((len(degrees), 4), F)
    in_slices(lambda a, b: _euler(flat_rows(degrees, a, b), flat_rows(out, a, b)), len(out))
    return out


def turned(rotation, degrees) -> np.ndarray:
    """Return (N, 4) unit quaternions: each rotation after a turn (N, 3) in degrees about its own x, then y, then z."""
    rotation, degrees = frozen_rows(rotation, 4), frozen_rows(degrees, 3)
    out = np.empty((same_count(rotation, degrees), 4), F)
    in_slices(lambda a, b: _turned(flat_rows(rotation, a, b), flat_rows(degrees, a, b), flat_rows(out, a, b)), len(out))
    return out


def turned_alike(rotation, degrees, weights) -> np.ndarray:
    """Return the same for one turn (3,) times a weight (N,) for each."""
    rotation, degrees, weights = frozen_rows(rotation, 4), frozen(degrees), frozen(weights)
    out = np.empty((same_count(rotation, weights), 4), F)
    in_slices(
        lambda a, b: _turned_alike(flat_rows(rotation, a, b), degrees, weights[a:b], flat_rows(out, a, b)), len(out)
    )
    return out


def compose(position, rotation, scale) -> np.ndarray:
    """Return (N, 3, 4) float32 matrices that scale, then rotate (quaternions), then move."""
    position, rotation, scale = frozen_rows(position, 3), frozen_rows(rotation, 4), frozen_rows(scale, 3)
    out = np.empty((same_count(position, rotation, scale), 3, 4), F)
    in_slices(lambda a, b: _compose(*(flat_rows(rows, a, b) for rows in (position, rotation, scale, out))), len(out))
    return out


def chain(outer, inner) -> np.ndarray:
    """Return the (O * I, 3, 4) products of every outer matrix with every inner one, inner fastest."""
    outer, inner = frozen(outer), frozen(inner)
    out = np.empty((len(outer) * len(inner), 3, 4), F)
    in_slices(lambda a, b: _chain(outer, inner, a, b, out), len(out))
    return out


def turn_between(axis, ways, is_upright: bool) -> np.ndarray:
    """Return (N, 4) turns that bring an axis (3,) onto ways (N, 3), which need not be of length 1.

    is_upright  turn about the way so that y (or z, where the way is y) stays as high as it can be; else the
                shortest turn is taken
    """
    axis, ways = np.asarray(axis, np.float64), np.asarray(ways, np.float64)
    ways = unit_rows(ways)
    if not is_upright:
        cross = np.cross(axis, ways)
        w = 1 + ways @ axis
        # Straight back: any axis at a right angle will do.
        side = np.cross(axis, (0, 1, 0) if abs(axis[1]) < 0.9 else (1, 0, 0))
        back = w < 1e-9
        cross[back], w[back] = side / np.linalg.norm(side), 0.0
        return _unit(np.column_stack([cross, w]))
    up = np.zeros_like(ways)
    up[:, 1] = 1
    steep = np.abs(ways[:, 1]) > 0.9999
    up[steep] = (0, 0, 1)
    first_up = np.array([0, 1, 0]) if abs(axis[1]) < 0.9 else np.array([0, 0, 1])
    return matrices_to_quaternions(_frames(ways, up) @ np.swapaxes(_frames(axis[None], first_up[None]), 1, 2))


def _frames(ways, ups):
    """Right-handed frames (N, 3, 3), their columns: the way, what is up beside it, and the third."""
    third = unit_rows(np.cross(ways, ups))
    return np.stack([ways, np.cross(third, ways), third], axis=2)


def _unit(quaternions):
    return unit_rows(quaternions).astype(F)


def matrices_to_quaternions(matrices) -> np.ndarray:
    """Return (N, 4) float32 unit quaternions of (N, 3, 3) rotations.

    Source  I. Bar-Itzhack's symmetric form: the four squares are read off the diagonal, the largest leads
    """
    m = np.asarray(matrices, np.float64)
    a, b, c = m[:, 0, 0], m[:, 1, 1], m[:, 2, 2]
    squares = np.stack([1 + a - b - c, 1 - a + b - c, 1 - a - b + c, 1 + a + b + c], axis=1)
    lead = squares.argmax(axis=1)
    rows = np.arange(len(m))
    x, y, z = m[:, 2, 1] - m[:, 1, 2], m[:, 0, 2] - m[:, 2, 0], m[:, 1, 0] - m[:, 0, 1]
    xy, xz, yz = m[:, 0, 1] + m[:, 1, 0], m[:, 0, 2] + m[:, 2, 0], m[:, 1, 2] + m[:, 2, 1]
    choices = np.stack(
        [
            np.stack([squares[:, 0], xy, xz, x], axis=1),
            np.stack([xy, squares[:, 1], yz, y], axis=1),
            np.stack([xz, yz, squares[:, 2], z], axis=1),
            np.stack([x, y, z, squares[:, 3]], axis=1),
        ],
        axis=1,
    )
    return _unit(choices[rows, lead])
