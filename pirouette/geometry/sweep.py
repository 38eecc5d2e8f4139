"""Tubes and ribbons: sections swept along all curves of a mesh at once."""

from dataclasses import dataclass
from threading import Lock

import numpy as np
from cachetools import LRUCache, cached
from manifold3d import triangulate

from ..data.attribute import NONE, Attributes
from ..data.key import content_key
from ..data.mesh import Later, Mesh, Topology
from ..kernels.geometry.place import unit_rows
from ..kernels.geometry.sweep import apart_points, corner_places, frames, joined_rings, rings

CREASE_COSINE = np.cos(np.radians(35))
ROUND_PARTS = 3
# Corners of layouts that are kept, of about 20 bytes each.
MOST_KNOWN = 4_000_000


@dataclass(frozen=True, eq=False)
class Section:
    """What is swept: points across a curve, 1 away from it at a half width.

    points   (K, 2) along a curve's side and its third axis, turning left if closed; sharp ones stand there twice
    closed   whether the last point leads back to the first; a ribbon's is open
    around   (K,) 0..1 how far around each point lies, for textures
    """

    points: np.ndarray
    closed: bool
    around: np.ndarray

    @property
    def ring(self) -> np.ndarray:
        """The numbers of its points in different places."""
        apart = (self.points != np.roll(self.points, 1, axis=0)).any(axis=1)
        return np.flatnonzero(apart) if len(self.points) > 1 else np.zeros(1, int)


def round_section(sides: int, is_smooth: bool) -> Section:
    """Return a regular section of so many sides, with sharp edges between them if it is not smooth."""
    angles = 2 * np.pi * np.arange(sides) / sides
    return closed_section(np.stack([np.cos(angles), np.sin(angles)], axis=1), np.full(sides, not is_smooth))


def closed_section(points, is_sharp) -> Section:
    """Return a closed section of (K, 2) points, doubled where (K,) is_sharp says so."""
    if not _turns_left(points):
        points, is_sharp = points[::-1], is_sharp[::-1]
    steps = np.linalg.norm(np.roll(points, -1, axis=0) - points, axis=1)
    around = np.concatenate([[0], np.cumsum(steps)[:-1]]) / max(steps.sum(), 1e-12)
    place = np.repeat(np.arange(len(points)), 1 + is_sharp)
    return Section(points[place], True, around[place])


def flat_section() -> Section:
    """Return the section of a ribbon."""
    return Section(np.array([[-1.0, 0.0], [1.0, 0.0]]), False, np.array([0.0, 1.0]))


def section_of(points, is_closed: bool) -> Section:
    """Return the section that a drawn curve is, its x to the side; its larger extent is the width.

    points  (K, 2 or 3); sharp where it turns by more than 35 degrees
    """
    flat = np.asarray(points, np.float64)[:, :2]
    low, high = flat.min(axis=0), flat.max(axis=0)
    flat = (flat - (low + high) / 2) / max((high - low).max() / 2, 1e-12)
    if not is_closed:
        steps = np.linalg.norm(np.diff(flat, axis=0), axis=1)
        return Section(flat, False, np.concatenate([[0], np.cumsum(steps)]) / max(steps.sum(), 1e-12))
    ways = unit_rows(np.roll(flat, -1, axis=0) - flat)
    return closed_section(flat, (ways * np.roll(ways, 1, axis=0)).sum(axis=1) < CREASE_COSINE)


def _turns_left(points) -> bool:
    following = np.roll(points, -1, axis=0)
    return float((points[:, 0] * following[:, 1] - points[:, 1] * following[:, 0]).sum()) >= 0


def swept(mesh: Mesh, section: Section, widths, ends: str = "flat", turns=0.0, winds: float = 0.0) -> Mesh:
    """Return a section swept along each curve of a mesh; faces are left out.

    widths   (V,) of the section at each point, scene units
    ends     "flat" or "round" ones, or "open"; those of open sections are always open
    turns    radians by which the section is turned about the curve, and
    winds    by how much more at its end; whole turns only on closed curves
    Returns  a Mesh whose points carry what those of the curves did; closed if the section and the ends are
    """
    rows = _Rows.of(mesh)
    if rows is None:
        return Mesh.empty()
    found, along = frames(rows.points, rows.offsets, rows.closed)
    ways, sides, planes, rolls, steps = found
    rolls = rolls + turns
    if winds:
        goes = np.where(rows.closed, 2 * np.pi * np.round(winds / (2 * np.pi)), winds)[rows.curve]
        rolls += goes * along.astype(np.float64)
    radii = np.asarray(widths, np.float64)[rows.taken] / 2
    layout = _layout_of(section, rows, ends)
    size = len(rows.points) * len(section.points)
    more = len(layout.more)
    points = rings(
        rows.points, rows.before, rows.after, (ways, sides, planes, rolls, steps), radii, section.points, more
    )
    around = points[:size].reshape(-1, len(section.points), 3)
    for at, way in layout.tips:
        if ends == "flat":
            parts = [around[at][:, section.ring].reshape(-1, 3)]
        else:
            parts = _dome(around[at], rows.points[at], ways[at] * way, radii[at])
        for part in parts:
            points[size : size + len(part)] = part
            size += len(part)
    gathered = lambda array: None if array is None else layout.spread(array[rows.taken])  # noqa: E731
    carried = {name: gathered(array) for name, array in mesh.at_points.items() if name != "along"}
    return Mesh(
        points,
        layout.topology,
        colours=gathered(mesh.colours),
        opacity=gathered(mesh.opacity),
        known_uvs=Later(len(layout.u), lambda: layout.uvs(along), (along, layout.u, layout.v, layout.v_rows)),
        at_points=Attributes(carried, along=layout.spread(along)),
        at_faces=mesh.at_curves.gathered(rows.numbers[layout.curves]) if mesh.at_curves else NONE,
    )


@dataclass(frozen=True, eq=False)
class _Rows:
    """The points of curves that have a length, one curve after the other, no two neighbours in one place.

    taken  which of the mesh's they are: a slice of them, or their numbers
    """

    points: np.ndarray
    taken: slice | np.ndarray
    offsets: np.ndarray
    closed: np.ndarray
    numbers: np.ndarray

    @classmethod
    def of(cls, mesh: Mesh) -> "_Rows | None":
        lines = mesh.topology.lines
        if lines is None or not len(lines.corners):
            return None
        taken = slice(len(lines.corners)) if lines.is_in_row else lines.corners
        at = mesh.points[taken]
        near = 1e-7 * max(float(at.max()), -float(at.min()), 1e-9)
        apart, left = apart_points(at, lines.offsets, lines.closed, near)
        numbers = np.flatnonzero(left > 1)
        if not len(numbers):
            return None
        if left[numbers].sum() < len(at):
            keep = apart & np.repeat(left > 1, lines.sizes)
            at, taken = at[keep], lines.corners[keep]
        return cls(
            at.astype(np.float64),
            taken,
            np.concatenate([[0], np.cumsum(left[numbers])]),
            # There and back again is no round.
            lines.closed[numbers] & (left[numbers] > 2),
            numbers,
        )

    @property
    def curve(self) -> np.ndarray:
        return np.repeat(np.arange(len(self.numbers)), np.diff(self.offsets))

    @property
    def after(self) -> np.ndarray:
        """(P,) int32: the point after each, -1 where there is none."""
        after = np.arange(1, len(self.points) + 1, dtype=np.int32)
        after[self.offsets[1:] - 1] = np.where(self.closed, self.offsets[:-1], -1)
        return after

    @property
    def before(self) -> np.ndarray:
        before = np.arange(-1, len(self.points) - 1, dtype=np.int32)
        before[self.offsets[:-1]] = np.where(self.closed, self.offsets[1:] - 1, -1)
        return before

    def ends(self, first: bool) -> tuple[np.ndarray, np.ndarray]:
        """Which curves are open, and the points at which those begin or end."""
        curves = np.flatnonzero(~self.closed).astype(np.int32)
        return curves, self.offsets[:-1][curves] if first else self.offsets[1:][curves] - 1


def _across(section, k, following) -> np.ndarray:
    """(K, 2) float32: where in a picture the points of a section and those after them lie, around it."""
    return np.stack([section.around[k], np.where(following == 0, 1.0, section.around[following])], 1).astype(np.float32)


class _Layout:
    """How the points of swept sections are joined, wherever they are.

    topology  of all
    around    how many points stand around each point of the curves, ring by ring; `more` (M,) which of these all
              further ones stand around, and `curves` (F,) the curve of each face
    tips      (the points at which curves end, way along them) for each sort of end, in order
    u, v      (C,) places of corners in pictures; the first `len(v_rows)` have the `along` of these points instead of v
    """

    def __init__(self, section, rows, ends):
        self._section, self._rows = section, rows
        self._sources, self.around = [np.zeros(0, np.int32)], len(section.points)
        self._count = len(rows.points) * self.around
        self._faces, self._u, self._v, self._curves, self._edges = [], [], [], [], []
        self.tips = []
        self._add_sides()
        if section.closed and ends != "open":
            for curves, at, way in ((*rows.ends(first=True), -1.0), (*rows.ends(first=False), 1.0)):
                if len(curves):
                    self.tips.append((at, way))
                    (self._add_caps if ends == "flat" else self._add_domes)(curves, at, way)
        self.topology = Topology(
            np.cumsum(np.concatenate([[0], *(np.full(len(f), f.shape[1], np.int32) for f in self._faces)])),
            np.concatenate([faces.ravel() for faces in self._faces]),
            self._count,
            # What stands still from frame to frame is one topology, with all that is derived of it.
            key=f"swept-{_key_of(section, rows, ends)}",
            outline=np.concatenate(self._edges),
            sealed=section.closed and (ends != "open" or bool(rows.closed.all())),
        )
        self.more, self.curves = (np.concatenate(p).astype(np.int32) for p in (self._sources, self._curves))
        self.u, self.v = (np.concatenate(parts).astype(np.float32) for parts in (self._u, self._v))
        del self._section, self._rows, self._sources, self._faces, self._u, self._v, self._curves, self._edges

    def uvs(self, along) -> np.ndarray:
        """(C, 2) places of corners in a picture that goes once along each curve whose points (P,) lie `along` it."""
        return corner_places(self.u, self.v, self.v_rows, np.append(along, 1.0))

    def spread(self, values) -> np.ndarray:
        """(V, …) what points carry that stand around those of the curves, which carry values (P, …)."""
        size = len(values) * self.around
        spread = np.empty((size + len(self.more), *values.shape[1:]), values.dtype)
        spread[:size].reshape(len(values), self.around, *values.shape[1:])[:] = values[:, None]
        spread[size:] = values[self.more]
        return spread

    def _add(self, sources) -> np.ndarray:
        self._sources.append(sources.reshape(-1))
        numbers = np.arange(self._count, self._count + sources.size, dtype=np.int32)
        self._count += sources.size
        return numbers

    def _face(self, faces, u, v, curves):
        self._faces.append(faces)
        self._u.append(u.reshape(-1))
        self._v.append(v.reshape(-1))
        self._curves.append(curves)

    def _add_sides(self):
        """Join each ring to the next one."""
        size, section, rows = len(self._section.points), self._section, self._rows
        k = np.arange(size if section.closed else size - 1, dtype=np.int32)
        following = (k + 1) % size
        after = rows.after
        here = np.flatnonzero(after >= 0).astype(np.int32)
        i, j = here[:, None] * size, after[here][:, None] * size
        # Where a closed curve leads back to its beginning the picture ends.
        ends = np.where(after[here] < here, len(rows.points), after[here])
        quads, u, self.v_rows = joined_rings(
            here, after[here], ends, size, np.stack([k, following], axis=1), _across(section, k, following)
        )
        self._face(quads, u, np.zeros(u.shape, np.float32), np.repeat(rows.curve[here], len(k)))
        # Where a point of the section stands twice there is one edge, and none between the two.
        shown = section.ring
        self._edges.append(np.stack([i + shown, j + shown], axis=2).reshape(-1, 2))
        i = np.arange(len(rows.points), dtype=np.int32)[:, None] * size
        apart = np.flatnonzero((section.points[k] != section.points[following]).any(axis=1))
        self._edges.append(np.stack([i + k[apart], i + following[apart]], axis=2).reshape(-1, 2))

    def _add_caps(self, curves, at, way):
        """Close the ends of curves by flat faces with points of their own, sewn on by faces without area."""
        section, size = self._section, len(self._section.points)
        shown = section.ring
        source = np.repeat(at[:, None], len(shown), axis=1)
        cap = self._add(source).reshape(source.shape)
        flat = section.points[shown]
        triangles = triangulate([np.ascontiguousarray(flat)]) if len(shown) > 4 or not _is_convex(flat) else None
        if triangles is None:
            triangles = np.array([[0, k, k + 1] for k in range(1, len(shown) - 1)]).reshape(-1, 3)
        triangles = np.asarray(triangles, np.int64)
        if way < 0:
            triangles = triangles[:, ::-1]
        places = np.clip(0.5 + flat / 2, 0, 1)
        uvs = np.broadcast_to(places[triangles], (len(at), *triangles.shape, 2))
        self._face(cap[:, triangles].reshape(-1, 3), uvs[..., 0], uvs[..., 1], np.repeat(curves, len(triangles)))
        # The seam: each side of the section has its own two points; corners that stand twice get a triangle.
        which = np.searchsorted(shown, np.arange(size), "right") - 1
        k = np.arange(size)
        following = (k + 1) % size
        ring = at[:, None] * size
        twice = which[k] == which[following]
        for chosen, corners in (
            (~twice, (ring + k, cap[:, which[k]], cap[:, which[following]], ring + following)),
            (twice, (ring + k, cap[:, which[k]], ring + following)),
        ):
            if chosen.any():
                sewn = np.stack([corner[:, chosen] for corner in corners], axis=2)
                sewn = (sewn[:, :, ::-1] if way > 0 else sewn).reshape(-1, len(corners))
                self._face(sewn, np.zeros(sewn.size), np.zeros(sewn.size), np.repeat(curves, chosen.sum()))

    def _add_domes(self, curves, at, way):
        """Close the ends of curves by half balls over their sections."""
        section, size = self._section, len(self._section.points)
        k = np.arange(size)
        following = (k + 1) % size
        u = _across(section, k, following)
        is_start = way < 0
        v = 0.0 if is_start else 1.0
        rows = [at[:, None] * size + k]
        for _ in range(1, _parts_of(size)):
            rows.append(self._add(np.repeat(at[:, None], size, axis=1)).reshape(len(at), size))
        for lower, upper in zip(rows, rows[1:], strict=False):
            quads = np.stack([lower[:, k], lower[:, following], upper[:, following], upper[:, k]], axis=2)
            own = u[:, [0, 1, 1, 0]]
            quads, own = (quads[:, :, ::-1], own[:, ::-1]) if is_start else (quads, own)
            own = np.broadcast_to(own, (len(at), *own.shape))
            self._face(quads.reshape(-1, 4), own, np.full(own.shape, v, np.float32), np.repeat(curves, size))
            shown = section.ring
            self._edges.append(np.stack([lower[:, shown], upper[:, shown]], axis=2).reshape(-1, 2))
        pole = self._add(at)
        poles = np.repeat(pole[:, None], size, axis=1)
        tips = np.stack([rows[-1][:, k], rows[-1][:, following], poles], axis=2)
        own = np.column_stack([u, u.mean(axis=1)])
        tips, own = (tips[:, :, ::-1], own[:, ::-1]) if is_start else (tips, own)
        own = np.broadcast_to(own, (len(at), *own.shape))
        self._face(tips.reshape(-1, 3), own, np.full(own.shape, v, np.float32), np.repeat(curves, size))


def _key_of(section, rows, ends) -> str:
    return content_key(section.points, section.around, section.closed, rows.offsets, rows.closed, ends)


@cached(LRUCache(MOST_KNOWN, lambda layout: len(layout.u)), _key_of, Lock())
def _layout_of(section, rows, ends) -> _Layout:
    """The layout of swept sections; while curves only move, their tubes are joined as before."""
    return _Layout(section, rows, ends)


def _parts_of(size: int) -> int:
    """How many rows of faces a half ball over a section of so many points has."""
    return max(ROUND_PARTS, size // 4)


def _dome(around, middle, ways, radii) -> list[np.ndarray]:
    """The points of half balls over rings (E, K, 3) at the ends of curves, row by row, and their poles."""
    offsets = around - middle[:, None]
    parts = _parts_of(around.shape[1])
    rows = []
    for part in range(1, parts):
        angle = np.pi / 2 * part / parts
        points = middle[:, None] + offsets * np.cos(angle) + (ways * radii[:, None])[:, None] * np.sin(angle)
        rows.append(points.reshape(-1, 3))
    return [*rows, middle + ways * radii[:, None]]


def _is_convex(points) -> bool:
    ways = np.roll(points, -1, axis=0) - points
    onwards = np.roll(ways, -1, axis=0)
    return bool((ways[:, 0] * onwards[:, 1] - ways[:, 1] * onwards[:, 0] >= 0).all())
