"""Flat outlines: Bézier paths made straight, what they enclose by a fill rule, made thinner, and stroked."""

from dataclasses import dataclass

import numpy as np
import pyclipper

# Outlines are resolved in whole numbers, so many to their own size.
GRID = 1 << 24
MITER = 4.0


@dataclass(frozen=True, eq=False)
class Contour:
    """One path of an outline.

    cubics    (S, 4, 2) float64 Bézier corners of its segments, each beginning where the one before ends
    straight  (S,) bool: segments that are straight lines
    closed    whether its end is joined to its start
    """

    cubics: np.ndarray
    straight: np.ndarray
    closed: bool

    def flattened(self, detail: int) -> np.ndarray:
        """Return (N, 2) points, `detail` steps for each curved segment; the first is not repeated at the end."""
        if not len(self.cubics):
            return np.zeros((0, 2))
        steps = np.where(self.straight, 1, detail)
        t = np.concatenate([np.arange(n) / n for n in steps])[:, None]
        a, b, c, d = np.moveaxis(np.repeat(self.cubics, steps, axis=0), 1, 0)
        points = (1 - t) ** 3 * a + 3 * (1 - t) ** 2 * t * b + 3 * (1 - t) * t * t * c + t**3 * d
        end = self.cubics[-1, 3]
        if not self.closed or np.abs(end - points[0]).max() > 1e-9 * max(np.abs(points).max(), 1):
            points = np.concatenate([points, end[None]])
        keep = np.ones(len(points), bool)
        keep[1:] = np.abs(np.diff(points, axis=0)).max(axis=1) > 0
        return points[keep]


def straight_contour(points, closed: bool) -> Contour:
    """Return a contour of straight segments through (N, 2) points."""
    points = np.asarray(points, np.float64)
    ends = np.roll(points, -1, axis=0) if closed else points[1:]
    starts = points if closed else points[:-1]
    thirds = [starts, starts + (ends - starts) / 3, starts + (ends - starts) * 2 / 3, ends]
    return Contour(np.stack(thirds, axis=1), np.ones(len(starts), bool), closed)


class Rings:
    """Closed outlines without crossings: outer ones turn left, holes turn right.

    polygons  list of polygons, each a list of (N, 2) rings, its outer one first
    """

    def __init__(self, polygons):
        self.polygons = polygons

    @property
    def rings(self) -> list[np.ndarray]:
        return [ring for polygon in self.polygons for ring in polygon]


def _scale(paths):
    size = max((np.abs(path).max() for path in paths if len(path)), default=1.0)
    return GRID / max(size, 1e-9)


def _whole(path, scale):
    return np.round(path * scale).astype(np.int64).tolist()


def resolve(paths, rule: str = "nonzero") -> Rings:
    """Return what closed (N, 2) paths enclose by a fill rule, "nonzero" or "evenodd", without crossings."""
    paths = [path for path in paths if len(path) >= 3]
    if not paths:
        return Rings([])
    scale = _scale(paths)
    clipper = pyclipper.Pyclipper()
    for path in paths:
        try:
            clipper.AddPath(_whole(path, scale), pyclipper.PT_SUBJECT, True)
        except pyclipper.ClipperException:
            continue  # a path without area encloses nothing
    fill = pyclipper.PFT_NONZERO if rule == "nonzero" else pyclipper.PFT_EVENODD
    try:
        tree = clipper.Execute2(pyclipper.CT_UNION, fill, fill)
    except pyclipper.ClipperException:
        return Rings([])
    return _from_tree(tree, scale)


def _from_tree(tree, scale) -> Rings:
    polygons = []

    def walk(node):
        for outer in node.Childs:
            polygon = [_turning(np.array(outer.Contour) / scale, True)]
            for hole in outer.Childs:
                polygon.append(_turning(np.array(hole.Contour) / scale, False))
                walk(hole)
            polygons.append(polygon)

    walk(tree)
    return Rings(polygons)


def _turning(ring, is_left):
    return ring if (area_of(ring) > 0) == is_left else ring[::-1]


def area_of(ring) -> float:
    """Return the area of a ring, above 0 if it turns left."""
    x, y = ring.T
    return 0.5 * float(np.sum(x * np.roll(y, -1) - np.roll(x, -1) * y))


_JOINS = {"round": pyclipper.JT_ROUND, "miter": pyclipper.JT_MITER, "bevel": pyclipper.JT_SQUARE}
_ENDS = {"butt": pyclipper.ET_OPENBUTT, "round": pyclipper.ET_OPENROUND, "square": pyclipper.ET_OPENSQUARE}


def _offset(paths, ends, amount, join, scale) -> Rings:
    maker = pyclipper.PyclipperOffset(MITER, max(abs(amount) * scale * 0.01, 1.0))
    for path, end in zip(paths, ends, strict=True):
        maker.AddPath(_whole(path, scale), _JOINS[join], end)
    return _from_tree(maker.Execute2(amount * scale), scale)


def shrunk(rings: Rings, amount: float) -> Rings:
    """Return outlines whose edges are moved inwards by an amount; thin parts vanish."""
    if not rings.polygons:
        return rings
    paths = rings.rings
    return _offset(paths, [pyclipper.ET_CLOSEDPOLYGON] * len(paths), -amount, "miter", _scale(paths))


def stroked(paths, closed, width: float, cap: str = "butt", join: str = "miter") -> Rings:
    """Return the outline of strokes along (N, 2) paths.

    closed  for each path whether its end is joined to its start
    cap     "butt", "round" or "square"; join "miter", "round" or "bevel"
    """
    kept = [(path, is_closed) for path, is_closed in zip(paths, closed, strict=True) if len(path) >= 2]
    if not kept or width <= 0:
        return Rings([])
    ends = [pyclipper.ET_CLOSEDLINE if is_closed else _ENDS[cap] for _, is_closed in kept]
    return _offset([path for path, _ in kept], ends, width / 2, join, _scale([path for path, _ in kept]))


def holds(polygon, point):
    """Return whether a point lies in a polygon and in none of its holes; on its edge counts as inside."""
    scale = _scale(polygon)
    x, y = _whole(np.asarray(point)[None], scale)[0]
    inside = [pyclipper.PointInPolygon((x, y), _whole(ring, scale)) for ring in polygon]
    return inside[0] != 0 and all(place != 1 for place in inside[1:])
