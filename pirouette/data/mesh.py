"""Meshes: points joined by polygons, by curves, or by both.

Faces keep their polygons, so that wires show quads and not their diagonals. Curves are part of the same record, so
that every step that moves points works on them at once and nothing needs converting.
"""

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np

from ..kernels.compile import frozen
from ..kernels.geometry.along import shares
from ..kernels.geometry.box import box
from ..kernels.geometry.surface import face_normals, faces_at_points, fans, point_normals
from .attribute import NONE, Attributes
from .bytes import arrays_in


@dataclass(frozen=True, eq=False)
class Lines:
    """Curves: curve c passes through the points corners[offsets[c]] to corners[offsets[c + 1] - 1].

    offsets  (L + 1,) int32
    corners  (C,) int32, indices of points
    closed   (L,) bool: whether the last point leads back to the first
    """

    offsets: np.ndarray
    corners: np.ndarray
    closed: np.ndarray

    def __post_init__(self):
        object.__setattr__(self, "offsets", frozen(self.offsets, np.int32))
        object.__setattr__(self, "corners", frozen(self.corners, np.int32))
        object.__setattr__(self, "closed", frozen(self.closed, bool))

    @property
    def count(self) -> int:
        return len(self.offsets) - 1

    @property
    def own_bytes(self) -> int:
        return arrays_in(self)

    @cached_property
    def is_in_row(self) -> bool:
        """True if the curves' points are the first ones of all, one after the other."""
        return np.array_equal(self.corners, np.arange(len(self.corners), dtype=np.int32))

    @cached_property
    def sizes(self) -> np.ndarray:
        """(L,) number of points of each curve."""
        return np.diff(self.offsets)

    @cached_property
    def segments(self) -> np.ndarray:
        """(S, 2) int32: from each point of a curve to the next."""
        following = np.arange(1, len(self.corners) + 1)
        sizes = self.sizes
        ends = (self.offsets[1:] - 1)[sizes > 0]
        following[ends] = np.where(self.closed[sizes > 0], self.offsets[:-1][sizes > 0], -1)
        keep = following >= 0
        keep[ends] &= (sizes > 2)[sizes > 0]  # a closed curve of two points is one segment
        return frozen(np.stack([self.corners[keep], self.corners[following[keep]]], axis=1), np.int32)


@dataclass(frozen=True, eq=False)
class Topology:
    """How points are joined: face f has the corners offsets[f] to offsets[f + 1].

    offsets      (F + 1,) int32
    corners      (C,) int32, indices of points, counter-clockwise seen from outside
    point_count  V
    lines        curves through some of the points, or None
    outline      (E, 2) int32, or None: the edges that wires show instead of those of all faces
    sealed       True where its maker knows that it is closed; else that is found out once it is asked for
    """

    offsets: np.ndarray
    corners: np.ndarray
    point_count: int
    key: str = ""
    lines: Lines | None = None
    outline: np.ndarray | None = None
    sealed: bool = False

    def __post_init__(self):
        object.__setattr__(self, "offsets", frozen(self.offsets, np.int32))
        object.__setattr__(self, "corners", frozen(self.corners, np.int32))
        if self.outline is not None:
            object.__setattr__(self, "outline", frozen(self.outline, np.int32))

    @classmethod
    def of_lines(cls, sizes, closed) -> "Topology":
        """Make a topology of curves alone, whose points stand one curve after the other.

        sizes   (L,) number of points of each curve
        closed  (L,) bool, or one bool for all
        """
        offsets = np.concatenate([[0], np.cumsum(sizes)])
        lines = Lines(offsets, np.arange(offsets[-1]), np.broadcast_to(np.asarray(closed, bool), len(offsets) - 1))
        return cls(np.zeros(1), np.zeros(0), int(offsets[-1]), lines=lines)

    @classmethod
    def of_faces(cls, faces, point_count: int) -> "Topology":
        """Make a topology of an (F, K) array of faces that all have K corners."""
        faces = np.asarray(faces, np.int32)
        return cls(np.arange(len(faces) + 1, dtype=np.int32) * faces.shape[1], faces.ravel(), point_count)

    @property
    def face_count(self) -> int:
        return len(self.offsets) - 1

    @property
    def curve_count(self) -> int:
        return 0 if self.lines is None else self.lines.count

    @property
    def own_bytes(self) -> int:
        """The bytes of its arrays, those among them that were derived so far."""
        return arrays_in(self)

    @property
    def parts(self) -> tuple:
        """The records that it keeps alive."""
        kept = vars(self).get("derived", {}).values()
        return (*kept,) if self.lines is None else (self.lines, *kept)

    @cached_property
    def sizes(self) -> np.ndarray:
        """(F,) number of corners of each face."""
        return np.diff(self.offsets)

    @cached_property
    def triangle_faces(self) -> np.ndarray:
        """(T,) int32: the face that each triangle is a part of."""
        return frozen(np.repeat(np.arange(self.face_count, dtype=np.int32), np.maximum(self.sizes - 2, 0)), np.int32)

    @cached_property
    def _fans(self) -> tuple[np.ndarray, np.ndarray]:
        return fans(self.offsets, self.corners)

    @property
    def triangles(self) -> np.ndarray:
        """(T, 3) int32: the faces cut into fans from their first corners."""
        return self._fans[1]

    @property
    def triangle_corners(self) -> np.ndarray:
        """(T, 3) int32: where in the corners those of each triangle stand."""
        return self._fans[0]

    @cached_property
    def half_edges(self) -> np.ndarray:
        """(C, 2) int32: from each corner to the next one of its face."""
        return frozen(np.stack([self.corners, self.corners[self.following]], axis=1), np.int32)

    @cached_property
    def following(self) -> np.ndarray:
        """(C,) int64: where in the corners the next corner of the same face stands."""
        following = np.arange(1, len(self.corners) + 1)
        ends = self.offsets[1:][self.sizes > 0] - 1
        following[ends] = self.offsets[:-1][self.sizes > 0]
        return following

    @cached_property
    def edges(self) -> np.ndarray:
        """(E, 2) int32: what wires show: the edges of the polygons, or the outline, and the curves' segments."""
        edges = self.face_edges if self.outline is None else self.outline
        return edges if self.lines is None else frozen(np.concatenate([edges, self.lines.segments]), np.int32)

    @cached_property
    def face_edges(self) -> np.ndarray:
        """(E, 2) int32: each edge of the polygons once, lower point first."""
        if not len(self.corners):
            return frozen(np.zeros((0, 2)), np.int32)
        low_high = np.sort(self.half_edges, axis=1).astype(np.int64)
        packed = np.unique(low_high[:, 0] * self.point_count + low_high[:, 1])
        return frozen(np.stack([packed // self.point_count, packed % self.point_count], axis=1), np.int32)

    @cached_property
    def alone(self) -> np.ndarray:
        """(N,) int64: the points that nothing joins."""
        is_alone = np.ones(self.point_count, bool)
        is_alone[self.corners] = False
        if self.lines is not None:
            is_alone[self.lines.corners] = False
        return frozen(np.flatnonzero(is_alone), np.int64)

    @cached_property
    def is_closed(self) -> bool:
        """True if every edge is walked once each way, so that the mesh has an inside."""
        if self.sealed:
            return True
        if not len(self.corners):
            return False
        if self.lines is not None:
            return False
        ways = self.half_edges.astype(np.int64)
        there = np.sort(ways[:, 0] * self.point_count + ways[:, 1])
        back = np.sort(ways[:, 1] * self.point_count + ways[:, 0])
        return bool(np.array_equal(there, back) and np.all(np.diff(there) > 0))

    @cached_property
    def derived(self) -> dict:
        """Records that were made of it alone, by name: they are kept as long as it is, and counted with it."""
        return {}

    @cached_property
    def uses(self) -> tuple[np.ndarray, np.ndarray]:
        """(V + 1,) offsets and the faces at each point."""
        return faces_at_points(self.point_count, self.offsets, self.corners)


@dataclass(frozen=True, eq=False)
class Later:
    """Places in a picture that are made once somebody asks for them.

    count  how many they are
    make   gives them: (count, 2) float32
    parts  the records and arrays that it keeps alive for that
    """

    count: int
    make: Callable[[], np.ndarray]
    parts: tuple = ()
    own_bytes = 0

    def __len__(self):
        return self.count


@dataclass(frozen=True, eq=False)
class Mesh:
    """Points joined by a topology.

    points   (V, 3) float32, scene units
    colours  (V, 3) float32 linear, or None
    opacity  (V,) float32 in 0..1, or None
    known_uvs  `uvs`, or Later
    is_flat  True if faces are drawn with their own normals, as those of a box
    key      names the contents; equal keys mean equal bytes
    at_points, at_corners, at_faces, at_curves  what else these carry; see attribute.py
    """

    points: np.ndarray
    topology: Topology
    colours: np.ndarray | None = None
    known_uvs: "np.ndarray | Later | None" = None
    is_flat: bool = False
    key: str = ""
    known_normals: np.ndarray | None = field(default=None, repr=False)
    opacity: np.ndarray | None = None
    at_points: Attributes = NONE
    at_corners: Attributes = NONE
    at_faces: Attributes = NONE
    at_curves: Attributes = NONE

    def __post_init__(self):
        object.__setattr__(self, "points", frozen(self.points))
        self.at_points.checked(len(self.points), "points")
        self.at_corners.checked(len(self.topology.corners), "corners")
        self.at_faces.checked(self.topology.face_count, "faces")
        self.at_curves.checked(self.topology.curve_count, "curves")
        if len(self.points) != self.topology.point_count:
            raise ValueError(f"{len(self.points)} points for a topology of {self.topology.point_count}")
        if self.known_uvs is not None and len(self.known_uvs) != len(self.topology.corners):
            raise ValueError(f"{len(self.known_uvs)} places in a picture for {len(self.topology.corners)} corners")
        for name in ("colours", "known_uvs", "known_normals", "opacity"):
            if not isinstance(getattr(self, name), Later | None):
                object.__setattr__(self, name, frozen(getattr(self, name)))

    @classmethod
    def empty(cls) -> "Mesh":
        return cls(np.zeros((0, 3)), Topology(np.zeros(1), np.zeros(0), 0))

    @classmethod
    def point(cls) -> "Mesh":
        """A single point without faces: what stands at each place when only places are wanted."""
        return cls(np.zeros((1, 3)), Topology(np.zeros(1), np.zeros(0), 1, key="tpoint"), key="point")

    @classmethod
    def curves(cls, points, sizes, closed) -> "Mesh":
        """Make curves of points that stand one curve after the other, each knowing how far `along` it is.

        See Topology.of_lines
        """
        topology = Topology.of_lines(sizes, closed)
        return cls(points, topology, at_points=Attributes(along=shares_along(points, topology.lines)))

    @property
    def own_bytes(self) -> int:
        """The bytes of its arrays, those among them that were derived so far."""
        return arrays_in(self)

    @property
    def parts(self) -> tuple:
        """The records that it keeps alive."""
        later = (self.known_uvs,) if isinstance(self.known_uvs, Later) else ()
        return (self.topology, self.at_points, self.at_corners, self.at_faces, self.at_curves, *later)

    @property
    def uvs(self) -> np.ndarray | None:
        """(C, 2) float32: where in a picture each corner of each face lies, 0..1 but at its border; or None."""
        return self._made_uvs if isinstance(self.known_uvs, Later) else self.known_uvs

    @cached_property
    def _made_uvs(self):
        return frozen(self.known_uvs.make())

    def attributes(self) -> Attributes:
        """Return all that a point can be asked for by name: its own, and those of its curve and of a face at it."""
        found, lines = {}, self.topology.lines
        if self.at_faces:
            face_of_corner = np.repeat(np.arange(self.topology.face_count), self.topology.sizes)
            found.update(self._spread(self.at_faces, self.topology.corners, face_of_corner))
        if self.at_corners:
            found.update(self._spread(self.at_corners, self.topology.corners, np.arange(len(self.topology.corners))))
        if self.at_curves:
            found.update(self._spread(self.at_curves, lines.corners, np.repeat(np.arange(lines.count), lines.sizes)))
        return Attributes({**found, **self.at_points})

    def _spread(self, attributes, points, rows):
        for name, array in attributes.items():
            spread = np.zeros((len(self.points), *array.shape[1:]), np.float32)
            # Of several that meet in a point the first one counts.
            spread[points[::-1]] = array[rows[::-1]]
            yield name, spread

    def gathered(self, index, topology, corners=None, faces=None, curves=None) -> "Mesh":
        """Return a mesh whose points are those at an index (or where a mask is true), with all that they carry.

        corners, faces, curves  likewise of the corners, faces and curves of the new topology, if it has any
        """
        pick = lambda array, at: None if array is None or at is None else array[at]  # noqa: E731
        carried = lambda attributes, at: NONE if at is None else attributes.gathered(at)  # noqa: E731
        return Mesh(
            self.points[index],
            topology,
            colours=pick(self.colours, index),
            known_uvs=None if corners is None else pick(self.uvs, corners),
            is_flat=self.is_flat,
            known_normals=pick(self.known_normals, index),
            opacity=pick(self.opacity, index),
            at_points=self.at_points.gathered(index),
            at_corners=carried(self.at_corners, corners),
            at_faces=carried(self.at_faces, faces),
            at_curves=carried(self.at_curves, curves),
        )

    @cached_property
    def face_vectors(self) -> np.ndarray:
        """(F, 3) float32: normals as long as twice the area of each face."""
        return frozen(face_normals(self.points, self.topology.offsets, self.topology.corners))

    @cached_property
    def normals(self) -> np.ndarray:
        """(V, 3) float32 unit normals of the points."""
        if self.known_normals is not None:
            return self.known_normals
        return frozen(point_normals(self.face_vectors, *self.topology.uses))

    @cached_property
    def bounds(self) -> tuple[np.ndarray, np.ndarray]:
        """Lowest and highest corner, (3,) each; zeros for a mesh without points."""
        if not len(self.points):
            return np.zeros(3, np.float32), np.zeros(3, np.float32)
        return box(self.points)

    def with_points(self, points, normals=None) -> "Mesh":
        """Return the same faces over other points."""
        return replace(self, points=points, known_normals=normals, key="")

    def with_faces_where(self, keep) -> "Mesh":
        """Return the mesh without the faces and curve points that (V,) keep, a mask of the points, leaves out.

        A face stays if at least half of its corners do; points that nothing uses any more are left out.
        """
        old = self.topology
        kept = np.asarray(keep, bool)
        face_of_corner = np.repeat(np.arange(old.face_count), old.sizes)
        share = np.bincount(face_of_corner, kept[old.corners], minlength=old.face_count) / np.maximum(old.sizes, 1)
        faces = share >= 0.5
        corners = old.corners[np.repeat(faces, old.sizes)]
        has_uses = np.zeros(old.point_count, bool)
        has_uses[corners] = True
        lines, curve_of = (None, None) if old.lines is None else _cut_lines(old.lines, kept)
        if lines is not None:
            has_uses[lines.corners] = True
        if not old.face_count and lines is None:
            has_uses = kept
        number = np.cumsum(has_uses) - 1
        topology = Topology(
            np.concatenate([[0], np.cumsum(old.sizes[faces])]),
            number[corners],
            int(has_uses.sum()),
            lines=None if lines is None else Lines(lines.offsets, number[lines.corners], lines.closed),
            outline=None if old.outline is None else number[old.outline[has_uses[old.outline].all(axis=1)]],
        )
        return self.gathered(
            has_uses,
            topology,
            corners=np.repeat(faces, old.sizes),
            faces=faces,
            curves=None if lines is None else curve_of,
        )


def _cut_lines(lines, kept):
    """Cut curves where their points are left out; a closed curve that loses some becomes open.

    Returns the Lines, and for each of them which curve it was a part of
    """
    offsets, corners, closed, curve_of = [0], [], [], []
    for number, (start, end, is_closed) in enumerate(zip(lines.offsets, lines.offsets[1:], lines.closed, strict=False)):
        curve = lines.corners[start:end]
        mask = kept[curve]
        if mask.all():
            runs, still_closed = [curve], bool(is_closed)
        else:
            if is_closed and mask.any():
                curve = np.roll(curve, -int(np.flatnonzero(~mask)[0]))
                mask = kept[curve]
            cuts = np.flatnonzero(np.diff(mask.astype(int))) + 1
            runs = [run for run in np.split(curve, cuts) if len(run) and kept[run[0]]]
            still_closed = False
        for run in runs:
            corners.append(run)
            offsets.append(offsets[-1] + len(run))
            closed.append(still_closed)
            curve_of.append(number)
    cut = Lines(np.array(offsets), np.concatenate(corners) if corners else np.zeros(0), np.array(closed, bool))
    return cut, np.array(curve_of, np.int64)


def shares_along(points, lines: Lines) -> np.ndarray:
    """Return (V,) float32: how far along its curve each point is by arc length, 0..1; 0 for those on no curve.

    The last point of an open curve is at 1; in a closed one the way back to the first counts too.
    """
    return shares(points, lines.corners, lines.offsets, lines.closed, lines.is_in_row)
