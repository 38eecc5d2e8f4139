"""Tubes and ribbons: sections swept along all curves of a mesh at once."""

from dataclasses import dataclass

import numpy as np
from manifold3d import triangulate

from ..data.attribute import NONE
from ..data.mesh import Lines, Mesh, Topology, shares_along
from ..kernels.geometry.place import unit_rows
from ..kernels.geometry.sweep import frames, rings

CREASE_COSINE = np.cos(np.radians(35))
ROUND_PARTS = 3


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
    found = frames(rows.points, rows.offsets, rows.closed)
    along = shares_along(rows.points, Lines(rows.offsets, np.arange(len(rows.points)), rows.closed)).astype(np.float64)
    goes = np.where(rows.closed, 2 * np.pi * np.round(winds / (2 * np.pi)), winds)[rows.curve]
    rolls = found[3] + turns + goes * along
    radii = np.asarray(widths, np.float64)[rows.corners] / 2
    made = rings(rows.points, rows.before, rows.after, (*found[:3], rolls), radii, section.points)
    built = _Built(section, rows, along, made)
    built.add_sides()
    if section.closed and ends != "open":
        for curves, at, way in ((*rows.ends(first=True), -1.0), (*rows.ends(first=False), 1.0)):
            if len(curves):
                if ends == "flat":
                    built.add_caps(curves, at, way)
                else:
                    built.add_domes(curves, at, found[0][at] * way, radii[at])
    return built.mesh(mesh)


@dataclass(frozen=True, eq=False)
class _Rows:
    """The points of curves that have a length, one curve after the other, no two neighbours in one place."""

    points: np.ndarray
    corners: np.ndarray
    offsets: np.ndarray
    closed: np.ndarray
    numbers: np.ndarray

    @classmethod
    def of(cls, mesh: Mesh) -> "_Rows | None":
        lines = mesh.topology.lines
        if lines is None or not len(lines.corners):
            return None
        corners = lines.corners
        at = mesh.points[corners].astype(np.float64)
        curve = np.repeat(np.arange(lines.count), lines.sizes)
        near = 1e-7 * max(float(np.abs(at).max()), 1e-9)
        apart = np.ones(len(at), bool)
        apart[1:] = (np.abs(at[1:] - at[:-1]).max(axis=1) > near) | (curve[1:] != curve[:-1])
        has_points = lines.sizes > 0
        lasts, firsts = lines.offsets[1:][has_points] - 1, lines.offsets[:-1][has_points]
        meets = lines.closed[has_points] & (np.abs(at[lasts] - at[firsts]).max(axis=1) <= near) & (lasts > firsts)
        apart[lasts[meets]] = False
        left = np.bincount(curve[apart], minlength=lines.count)
        keep = apart & (left > 1)[curve]
        if not keep.any():
            return None
        numbers = np.flatnonzero(left > 1)
        return cls(
            at[keep],
            corners[keep],
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
        """(P,) the point after each, -1 where there is none."""
        after = np.arange(1, len(self.points) + 1)
        after[self.offsets[1:] - 1] = np.where(self.closed, self.offsets[:-1], -1)
        return after

    @property
    def before(self) -> np.ndarray:
        before = np.arange(-1, len(self.points) - 1)
        before[self.offsets[:-1]] = np.where(self.closed, self.offsets[1:] - 1, -1)
        return before

    def ends(self, first: bool) -> tuple[np.ndarray, np.ndarray]:
        """Which curves are open, and the points at which those begin or end."""
        curves = np.flatnonzero(~self.closed)
        return curves, self.offsets[:-1][curves] if first else self.offsets[1:][curves] - 1


class _Built:
    """Collects the points and faces of swept sections."""

    def __init__(self, section, rows, along, made):
        self.section, self.rows, self.along = section, rows, along
        self.points, self.sources = [made], [np.repeat(np.arange(len(rows.points)), len(section.points))]
        self.count = len(made)
        self.faces, self.uvs, self.curves, self.edges = [], [], [], []

    def _add(self, points, sources) -> np.ndarray:
        self.points.append(points.reshape(-1, 3))
        self.sources.append(sources.reshape(-1))
        numbers = np.arange(self.count, self.count + self.sources[-1].size)
        self.count = numbers[-1] + 1 if len(numbers) else self.count
        return numbers

    def _face(self, faces, uvs, curves):
        self.faces.append(faces)
        self.uvs.append(uvs.reshape(-1, 2))
        self.curves.append(curves)

    def add_sides(self):
        """Join each ring to the next one."""
        size, section = len(self.section.points), self.section
        k = np.arange(size if section.closed else size - 1)
        following = (k + 1) % size
        after = self.rows.after
        here = np.flatnonzero(after >= 0)
        i, j = here[:, None] * size, after[here][:, None] * size
        quads = np.stack([i + k, i + following, j + following, j + k], axis=2)
        u = np.stack([section.around[k], np.where(following == 0, 1.0, section.around[following])], axis=1)
        u = np.broadcast_to(u[None, :, [0, 1, 1, 0]], quads.shape)
        v = self.along[here], np.where(after[here] < here, 1.0, self.along[after[here]])
        v = np.broadcast_to(np.stack([v[0], v[0], v[1], v[1]], axis=1)[:, None], quads.shape)
        self._face(quads.reshape(-1, 4), np.stack([u, v], axis=3), np.repeat(self.rows.curve[here], len(k)))
        # Where a point of the section stands twice there is one edge, and none between the two.
        shown = section.ring
        self.edges.append(np.stack([i + shown, j + shown], axis=2).reshape(-1, 2))
        i = np.arange(len(self.rows.points))[:, None] * size
        apart = np.flatnonzero((section.points[k] != section.points[following]).any(axis=1))
        self.edges.append(np.stack([i + k[apart], i + following[apart]], axis=2).reshape(-1, 2))

    def add_caps(self, curves, at, way):
        """Close the ends of curves by flat faces with points of their own, sewn on by faces without area."""
        section, size = self.section, len(self.section.points)
        shown = section.ring
        source = np.repeat(at[:, None], len(shown), axis=1)
        rim = self.points[0].reshape(-1, size, 3)[at][:, shown]
        cap = self._add(rim, source).reshape(source.shape)
        flat = section.points[shown]
        triangles = triangulate([np.ascontiguousarray(flat)]) if len(shown) > 4 or not _is_convex(flat) else None
        if triangles is None:
            triangles = np.array([[0, k, k + 1] for k in range(1, len(shown) - 1)]).reshape(-1, 3)
        triangles = np.asarray(triangles, np.int64)
        if way < 0:
            triangles = triangles[:, ::-1]
        places = np.clip(0.5 + flat / 2, 0, 1)
        faces = cap[:, triangles].reshape(-1, 3)
        uvs = np.broadcast_to(places[triangles], (len(at), *triangles.shape, 2))
        self._face(faces, uvs, np.repeat(curves, len(triangles)))
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
                self._face(sewn, np.zeros((sewn.size, 2)), np.repeat(curves, chosen.sum()))

    def add_domes(self, curves, at, ways, radii):
        """Close the ends of curves by half balls over their sections."""
        section, size = self.section, len(self.section.points)
        base = at[:, None] * size + np.arange(size)
        middle = self.rows.points[at]
        offsets = self.points[0].reshape(-1, size, 3)[at] - middle[:, None]
        parts = max(ROUND_PARTS, size // 4)
        k = np.arange(size)
        following = (k + 1) % size
        u = np.stack([section.around[k], np.where(following == 0, 1.0, section.around[following])], axis=1)
        is_start = bool(len(at)) and bool((self.rows.offsets[:-1][curves] == at).all())
        v = 0.0 if is_start else 1.0
        rows = [base]
        for part in range(1, parts):
            angle = np.pi / 2 * part / parts
            points = middle[:, None] + offsets * np.cos(angle) + (ways * radii[:, None])[:, None] * np.sin(angle)
            rows.append(self._add(points, np.repeat(at[:, None], size, axis=1)).reshape(len(at), size))
        for lower, upper in zip(rows, rows[1:], strict=False):
            quads = np.stack([lower[:, k], lower[:, following], upper[:, following], upper[:, k]], axis=2)
            uvs = np.stack([u[:, [0, 1, 1, 0]], np.full((size, 4), v)], axis=2)
            quads = quads[:, :, ::-1] if is_start else quads
            uvs = uvs[:, ::-1] if is_start else uvs
            self._face(quads.reshape(-1, 4), np.broadcast_to(uvs, (len(at), *uvs.shape)), np.repeat(curves, size))
            shown = section.ring
            self.edges.append(np.stack([lower[:, shown], upper[:, shown]], axis=2).reshape(-1, 2))
        pole = self._add(middle + ways * radii[:, None], at)
        top = rows[-1]
        poles = np.repeat(pole[:, None], size, axis=1)
        tips = np.stack([top[:, k], top[:, following], poles], axis=2)
        uvs = np.stack([np.column_stack([u, u.mean(axis=1)]), np.full((size, 3), v)], axis=2)
        tips, uvs = (tips[:, :, ::-1], uvs[:, ::-1]) if is_start else (tips, uvs)
        self._face(tips.reshape(-1, 3), np.broadcast_to(uvs, (len(at), *uvs.shape)), np.repeat(curves, size))

    def mesh(self, source: Mesh) -> Mesh:
        sizes = np.concatenate([np.full(len(faces), faces.shape[1]) for faces in self.faces])
        topology = Topology(
            np.concatenate([[0], np.cumsum(sizes)]),
            np.concatenate([faces.ravel() for faces in self.faces]),
            self.count,
            outline=np.concatenate(self.edges),
        )
        row = np.concatenate(self.sources)
        index = self.rows.corners[row]
        curves = self.rows.numbers[np.concatenate(self.curves)]
        return Mesh(
            np.concatenate(self.points),
            topology,
            colours=None if source.colours is None else source.colours[index],
            opacity=None if source.opacity is None else source.opacity[index],
            uvs=np.concatenate(self.uvs),
            at_points=source.at_points.gathered(index).with_(along=self.along[row]),
            at_faces=source.at_curves.gathered(curves) if source.at_curves else NONE,
        )


def _is_convex(points) -> bool:
    ways = np.roll(points, -1, axis=0) - points
    onwards = np.roll(ways, -1, axis=0)
    return bool((ways[:, 0] * onwards[:, 1] - ways[:, 1] * onwards[:, 0] >= 0).all())
