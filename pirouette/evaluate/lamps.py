"""What glows lights what is near it: by lamps that are spread over it, each for some of its faces.

A lamp gives as much light as its faces do all around on the mean: of a closed form a quarter of its area is seen from
anywhere, of an open sheet half. So a ball with one lamp is exact; in front of a flat sheet there is too little light,
and beside it too much.
"""

from dataclasses import dataclass

import numpy as np

from ..data.key import content_key
from ..data.light import LIGHT_OF_BYTE
from ..data.picture import TINT_GLOW, TINT_OPACITY, TINT_RGB, DrawnLight

CLOSED, OPEN = 0.25, 0.5
# Of more triangles than these every second, third … is looked at, and stands for those after it.
MOST_TRIANGLES = 16384
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
    """Return the lights that stand for those surfaces of drawables which light others."""
    glowing = {}
    for drawable in drawables:
        for number, look in enumerate(drawable.looks):
            is_lamp = look.kind == "surface" and look.settings.lamps and look.settings.glow > 0
            if is_lamp and drawable.mesh.topology.face_count:
                glowing.setdefault((drawable.figure_id, number), []).append((drawable, look))
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
        each = -(-settings.lamps // copies)
        spots = _Spots.joined([_spots(ev.memo, drawable, look, each) for drawable, look in members])
        lamps += _lights(plain, spots.in_turn(settings.lamps), settings, figures)
    return lamps


def _lights(plain, spots, settings, figures):
    for at, light, area, square in zip(spots.at, spots.light, spots.area, spots.square, strict=True):
        brightest = float(light.max())
        if brightest <= 0 or area <= 0:
            continue
        # What is seen of it is as large as a ball's disc of this radius; from so far away, it gives all its light.
        radius = np.sqrt(area / np.pi)
        shown = plain.changed(
            colour=(light / brightest).astype(np.float32),
            brightness=brightest,
            position=at.astype(np.float32),
            width=2 * float(np.sqrt(square)),
            reach=float(radius),
            shines="on all but",
            figures=figures,
            shadows=settings.lamp_shadows,
        )
        # What is spread out more than such a ball has no place at which it is so bright.
        yield DrawnLight("key", shown, soft=float(np.sqrt(max(LINE * (square - radius**2), 0))))


def _spots(memo, drawable, look, count) -> _Spots:
    """The places of a drawable: `count` on each copy, or fewer where it has no more triangles."""
    mesh, settings = drawable.mesh, look.settings
    light = np.asarray(settings.glow_colour, np.float64) * settings.glow * settings.brightness * _painted(look)
    if look.point_tints is None:
        own = memo.get(content_key("lamps", mesh.key, count), lambda: _own(mesh, np.ones((1, 3)), count))
    else:
        own = _own(mesh, _given(look.point_tints), count)
    at, own_light, area, square = own
    matrices = drawable.matrices.astype(np.float64)
    turns = matrices[:, :, :3]
    places = np.einsum("krc,sc->ksr", turns, at) + matrices[:, None, :, 3]
    larger = np.abs(np.linalg.det(turns)) ** (2 / 3)
    of_copies = np.ones((len(matrices), 3)) if look.tints is None else _given(look.tints)
    return _Spots(
        places.reshape(-1, 3),
        (of_copies[:, None] * light * own_light).reshape(-1, 3),
        (larger[:, None] * area).reshape(-1),
        (larger[:, None] * square).reshape(-1),
    )


def _own(mesh, tints, count) -> tuple[np.ndarray, ...]:
    """The places of a mesh's faces in its own space, as columns; tints (V, 3) say how much light its points give."""
    triangles = mesh.topology.triangles
    each = -(-len(triangles) // MOST_TRIANGLES)
    triangles = triangles[::each]
    a, b, c = (mesh.points[triangles[:, k]].astype(np.float64) for k in range(3))
    normals = np.cross(b - a, c - a)
    seen = CLOSED if mesh.topology.is_closed else OPEN
    areas, middles = np.sqrt((normals**2).sum(axis=1)) / 2 * seen * each, (a + b + c) / 3
    apart = sum(((corner - middles) ** 2).sum(axis=1) for corner in (a, b, c)) / 12
    light = np.broadcast_to(tints[triangles].mean(axis=1) if len(tints) > 1 else tints, (len(triangles), 3))
    found = _Spots(middles, light, areas, apart).spread(count)
    return found.at, found.light, found.area, found.square


def _given(tints) -> np.ndarray:
    """(N, 3) times as much light as without tints."""
    return tints[:, TINT_RGB].astype(np.float64) * (tints[:, TINT_OPACITY] * tints[:, TINT_GLOW])[:, None]


def _painted(look) -> np.ndarray:
    """What a picture or gradient leaves of the glow, on the mean."""
    if look.paint is None or "glow" not in look.settings.painted:
        return np.ones(3)
    return LIGHT_OF_BYTE[look.paint.texture.levels[-1][0, 0, :3]].astype(np.float64)
