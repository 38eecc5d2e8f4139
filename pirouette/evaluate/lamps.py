"""What glows lights what is near it: by lamps that are spread over it, each for some of its faces, lines or dots.

A lamp gives as much light as these do all around on the mean: of a closed form a quarter of its area is seen from
anywhere, of an open sheet half. So a ball with one lamp is exact; in front of a flat sheet there is too little light,
and beside it too much.
"""

from dataclasses import dataclass

import numpy as np

from ..data.key import content_key
from ..data.light import LIGHT_OF_BYTE
from ..data.picture import REFERENCE_LINES, TINT_GLOW, TINT_OPACITY, TINT_RGB, DrawnLight

CLOSED, OPEN, ROUND = 0.25, 0.5, np.pi / 4
# Of more triangles, lines or dots than these every second, third … is looked at, and stands for those after it.
MOST_PARTS = 16384
# At the middle of a straight line, points with so many times the mean square of its points' distances added to that of
# how far they are away light as much from afar as the line does.
LINE = 1.5
SMALL = 1e-12


@dataclass(frozen=True)
class _Spots:
    """Places that glow.

    at      (N, 3) in the world
    light   (N, 3) how much light leaves them, linear
    area    (N,) of it that is seen from anywhere, on the mean
    square  (N,) mean square of how far their faces are from there
    """

    at: np.ndarray
    light: np.ndarray
    area: np.ndarray
    square: np.ndarray

    @classmethod
    def joined(cls, parts) -> "_Spots":
        names = "at", "light", "area", "square"
        return cls(*(np.concatenate([getattr(one, name) for one in parts]) for name in names))

    def gathered(self, of, count: int) -> "_Spots":
        """Return `count` places, each for those of these that (N,) `of` says."""
        power = self.light.sum(axis=1) * self.area
        # Where there is no light at all they count alike.
        weight = power + 1e-9 * max(power.max(), SMALL)
        area, whole = _sums(self.area, of, count), np.maximum(_sums(weight, of, count), SMALL)
        at = _sums(weight[:, None] * self.at, of, count) / whole[:, None]
        apart = ((self.at - at[of]) ** 2).sum(axis=1)
        light = _sums(self.area[:, None] * self.light, of, count) / np.maximum(area, SMALL)[:, None]
        return _Spots(at, light, area, _sums(weight * (self.square + apart), of, count) / whole)

    def in_turn(self, count: int) -> "_Spots":
        """Return no more than so many, each for some of these that follow each other: so they go where these go."""
        number = len(self.area)
        return self if number <= count else self.gathered(np.arange(number) * count // number, count)

    def spread(self, count: int) -> "_Spots":
        """Return no more than so many, each for some of these that lie together, with about as much area."""
        number = len(self.area)
        if number <= count:
            return self
        of = np.zeros(number, np.int64)
        waiting = [(np.arange(number), 0, count)]
        while waiting:
            mine, first, parts = waiting.pop()
            if parts == 1:
                of[mine] = first
                continue
            # Cut across where they reach farthest, each side with its share.
            at = self.at[mine]
            order = mine[np.argsort(at[:, np.ptp(at, axis=0).argmax()], kind="stable")]
            areas, fewer = np.cumsum(self.area[order]), parts // 2
            cut = int(np.searchsorted(areas, areas[-1] * fewer / parts))
            cut = min(max(cut, fewer), len(order) - (parts - fewer))
            waiting += [(order[:cut], first, fewer), (order[cut:], first + fewer, parts - fewer)]
        return self.gathered(of, count)


def _sums(rows, of, count):
    if rows.ndim == 1:
        return np.bincount(of, rows, count)
    return np.stack([np.bincount(of, column, count) for column in rows.T], axis=1)


def lamps_of(ev, drawables) -> list[DrawnLight]:
    """Return the lights that stand for those looks of drawables which light others."""
    glowing = {}
    for drawable in drawables:
        for number, look in enumerate(drawable.looks):
            if look.settings.spill and _SORTS[look.kind].count(drawable.mesh):
                glowing.setdefault((drawable.figure_id, number), []).append((drawable.drawn_by(look), look))
    if not glowing:
        return []
    # Few scenes have any.
    from ..kinds.lights.key import KeySettings

    figures = tuple(dict.fromkeys(figure for figure, _ in glowing))
    plain = KeySettings().resolve(ev.around)
    lamps = []
    for members in glowing.values():
        settings = members[0][1].settings
        copies = sum(len(drawable.matrices) for drawable, _ in members)
        each = -(-settings.spill // copies)
        spots = _Spots.joined([_spots(ev, drawable, look, each) for drawable, look in members])
        lamps += _lights(plain, spots.in_turn(settings.spill), settings, figures)
    return lamps


def _lights(plain, spots, settings, figures):
    for at, light, area, square in zip(spots.at, spots.light, spots.area, spots.square, strict=True):
        brightest = float(light.max()) * settings.spill_strength
        if brightest <= 0 or area <= 0:
            continue
        # What is seen of it is as large as a ball's disc of this radius; from so far away, it gives all its light.
        radius = np.sqrt(area / np.pi)
        shown = plain.changed(
            colour=(light / light.max()).astype(np.float32),
            brightness=brightest,
            position=at.astype(np.float32),
            width=2 * float(np.sqrt(square)),
            reach=float(radius),
            shines="on all but",
            figures=figures,
            shadows=settings.spill_shadows,
        )
        # What is spread out more than such a ball has no place at which it is so bright.
        yield DrawnLight("key", shown, soft=float(np.sqrt(max(LINE * (square - radius**2), 0))))


class _Faces:
    """What glows of a surface."""

    # How its area grows with a copy's size, and with how wide its lines are.
    by_size, by_width = 2, 0

    @staticmethod
    def count(mesh) -> int:
        return mesh.topology.face_count

    @staticmethod
    def light(look) -> np.ndarray:
        """(3,) how much leaves a place without tints."""
        s = look.settings
        return np.asarray(s.glow_colour, np.float64) * s.glow * s.brightness * _painted(look)

    @staticmethod
    def parts(mesh, each):
        """The corners (N, C) of every so many-th part of a mesh, and how much of them is seen from anywhere, (N,)."""
        corners = mesh.topology.triangles[::each]
        a, b, c = (mesh.points[corners[:, k]].astype(np.float64) for k in range(3))
        seen = CLOSED if mesh.topology.is_closed else OPEN
        return corners, np.sqrt((np.cross(b - a, c - a) ** 2).sum(axis=1)) / 2 * seen


class _Lines:
    """What lights of wires, which are round: for a width of 1."""

    by_size, by_width = 1, 1

    @staticmethod
    def count(mesh) -> int:
        return len(mesh.topology.edges)

    @staticmethod
    def light(look) -> np.ndarray:
        return np.asarray(look.settings.colour, np.float64) * look.settings.brightness

    @staticmethod
    def parts(mesh, each):
        ends = mesh.topology.edges[::each]
        along = mesh.points[ends[:, 1]].astype(np.float64) - mesh.points[ends[:, 0]]
        return ends, np.sqrt((along**2).sum(axis=1)) * ROUND


class _Dots:
    """What lights of dots, which are balls: for a width of 1."""

    by_size, by_width = 0, 2
    light = _Lines.light

    @staticmethod
    def count(mesh) -> int:
        return len(mesh.points)

    @staticmethod
    def parts(mesh, each):
        points = np.arange(0, len(mesh.points), each)[:, None]
        return points, np.full(len(points), ROUND)


_SORTS = {"surface": _Faces, "wire": _Lines, "dots": _Dots}


def _spots(ev, drawable, look, count) -> _Spots:
    """The places of a drawable: `count` on each copy, or fewer where it has no more parts."""
    mesh, sort = drawable.mesh, _SORTS[look.kind]
    if look.point_tints is None and look.point_widths is None:
        own = ev.memo.get(content_key("lamps", mesh.key, look.kind, count), lambda: _own(mesh, sort, look, count))
    else:
        own = _own(mesh, sort, look, count)
    at, own_light, own_area, square = own
    matrices = drawable.matrices.astype(np.float64)
    turns = matrices[:, :, :3]
    places = np.einsum("krc,sc->ksr", turns, at) + matrices[:, None, :, 3]
    size = np.abs(np.linalg.det(turns))[:, None] ** (1 / 3)
    widths = np.ones((1, 1)) if sort.by_width == 0 else _widths(ev, look, places)
    of_copies = np.ones((len(matrices), 3)) if look.tints is None else _given(look.tints)
    return _Spots(
        places.reshape(-1, 3),
        (of_copies[:, None] * sort.light(look) * own_light).reshape(-1, 3),
        (size**sort.by_size * own_area * widths**sort.by_width).reshape(-1),
        (size**2 * square).reshape(-1),
    )


def _widths(ev, look, places) -> np.ndarray:
    """How wide the lines or dots of a look are at places (K, S, 3), in scene units: (K, S), or (K or 1, 1)."""
    settings = look.settings
    across = settings.width if look.kind == "wire" else settings.size
    of_copies = np.ones((1, 1)) if look.widths is None else look.widths.astype(np.float64)[:, None]
    if settings.unit == "units":
        return across * of_copies
    # Those in picture points are as wide as they look from where the camera is.
    view, (width, height) = ev.view(ev.scene.current_camera), ev.scene.picture_size
    depth = np.maximum((places - view.position) @ view.forward, 0)
    return across * of_copies * depth * (2 * view.tangent * height / width / REFERENCE_LINES)


def _own(mesh, sort, look, count) -> tuple[np.ndarray, ...]:
    """The places of a mesh's parts in its own space, as columns, for a width of 1."""
    each = -(-sort.count(mesh) // MOST_PARTS)
    corners, area = sort.parts(mesh, each)
    middles = mesh.points[corners].mean(axis=1, dtype=np.float64)
    # The mean of squares over a line is a third of that at its ends, over a triangle a quarter of that at its corners.
    apart = ((mesh.points[corners] - middles[:, None]) ** 2).sum(axis=2).mean(axis=1) / (corners.shape[1] + 1)
    light = np.ones((len(corners), 3))
    if look.point_tints is not None:
        light = _given(look.point_tints)[corners].mean(axis=1)
    if look.point_widths is not None:
        area = area * (look.point_widths.astype(np.float64) ** sort.by_width)[corners].mean(axis=1)
    found = _Spots(middles, light, area * each, apart).spread(count)
    return found.at, found.light, found.area, found.square


def _given(tints) -> np.ndarray:
    """(N, 3) times as much light as without tints."""
    return tints[:, TINT_RGB].astype(np.float64) * (tints[:, TINT_OPACITY] * tints[:, TINT_GLOW])[:, None]


def _painted(look) -> np.ndarray:
    """What a picture or gradient leaves of the glow, on the mean."""
    if look.paint is None or "glow" not in look.settings.painted:
        return np.ones(3)
    return LIGHT_OF_BYTE[look.paint.texture.levels[-1][0, 0, :3]].astype(np.float64)
