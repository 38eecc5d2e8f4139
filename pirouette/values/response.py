"""Response curves: values 0..1 for places 0..1, straight between corners and rounded where points have handles."""

import numpy as np

from .read import check_number, fail, shown

# Stretches that a rounded part is told by.
STEPS = 24
_HANDLES = {"arrive": (-1, 0), "leave": (0, 1)}


def read_response(raw, most: int) -> np.ndarray:
    """Read 2 to `most` points: `[in, out]` for a corner, or `{"at": [in, out], "arrive": […], "leave": […]}`.

    Handles are told from their point: where the curve comes from, and where it leaves to.
    Returns  (P, 2) rows in the order of their places, straight between them
    Raises   ProblemError with the path of what is wrong
    """
    if not isinstance(raw, list) or not 2 <= len(raw) <= most:
        fail("", f"allowed a list of 2 to {most} points [in, out]", "value.curve")
    points = sorted((_read_point(point, str(index)) for index, point in enumerate(raw)), key=lambda one: one[0])
    rows = [points[0][0]]
    for (start, _, leave), (end, arrive, _) in zip(points, points[1:], strict=False):
        rows += _stretch(start, leave, arrive, end) if leave or arrive else [end]
    return np.array(rows, np.float64)


def _read_point(raw, path):
    """A point's place, and its handles or None."""
    if isinstance(raw, list):
        return _read_pair(raw, path, ((0, 1), (0, 1))), None, None
    if not isinstance(raw, dict) or not {"at"} <= set(raw) <= {"at", *_HANDLES}:
        fail(path, f"{shown(raw)} is not a point; allowed [in, out], or at, arrive and leave", "value.curve")
    at = _read_pair(raw["at"], f"{path}/at", ((0, 1), (0, 1)))
    return at, *(
        _read_pair(raw[name], f"{path}/{name}", (ahead, (-1, 1))) if name in raw else None
        for name, ahead in _HANDLES.items()
    )


def _read_pair(raw, path, hard):
    if not isinstance(raw, list) or len(raw) != 2:
        fail(path, f"{shown(raw)} is not a point; allowed [in, out]", "value.curve")
    return tuple(check_number(part, f"{path}/{k}", hard[k]) for k, part in enumerate(raw))


def _stretch(start, leave, arrive, end) -> list:
    """The points after `start` of a cubic stretch; handles reach no further than to its other end."""
    corners = np.array([start, _reached(start, leave, end), _reached(end, arrive, start), end])
    t = np.arange(1, STEPS + 1)[:, None] / STEPS
    powers = np.hstack([(1 - t) ** 3, 3 * t * (1 - t) ** 2, 3 * t**2 * (1 - t), t**3])
    return [*np.clip(powers @ corners, 0, 1).tolist()[:-1], list(end)]


def _reached(at, handle, other):
    """Where a handle ends, shortened so that the curve never turns back."""
    if handle is None:
        return at
    share = min(abs(other[0] - at[0]) / abs(handle[0]), 1) if handle[0] else 1
    return at[0] + handle[0] * share, at[1] + handle[1] * share
