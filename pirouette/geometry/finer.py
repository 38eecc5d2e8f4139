"""Faces cut finer where weights change within them, so that what goes by weights at points is right between them, too.

An edge is cut in its middle if the weight there is not what lies between those of its ends. What is done to an edge
follows from that edge alone, so faces beside each other stay joined.
"""

from collections.abc import Callable

import numpy as np

from ..data import Mesh
from ..data.key import content_key
from ..data.mesh import Topology

# Weights may be off by so much between points.
CLOSE = np.float32(1 / 128)
# As shares of how large a mesh is: longer edges are cut in any case, so that nothing small is missed between them;
# shorter ones are never cut.
LONG, SHORT = 1 / 32, 1 / 1000
# In a mesh of more edges, only those whose ends differ are looked at.
FEW_EDGES = 100_000
# No more points are made, beside one last round.
MOST_POINTS = 400_000
# The three corners of a triangle, then the middles of its edges, first to second corner and so on: what becomes of it
# if its first so many edges are cut. Of two, the third stays.
PIECES = {
    1: np.array([[0, 3, 2], [3, 1, 2]]),
    2: np.array([[3, 1, 4], [0, 3, 4], [0, 4, 2]]),
    3: np.array([[0, 3, 5], [3, 1, 4], [5, 4, 2], [3, 4, 5]]),
}


def finer(mesh: Mesh, weights_of: Callable[[np.ndarray], np.ndarray]) -> Mesh:
    """Return a mesh of triangles in the faces of another, so small that weights between their points are close.

    weights_of  points (N, 3) in the mesh's space -> weights (N, F) of some fields there

    The points of before come first, in their order; without need for more the mesh itself is returned. Curves are left
    out.
    """
    size = float(np.linalg.norm(np.subtract(*mesh.bounds)))
    made = _Cut(mesh, weights_of(mesh.points))
    while made.is_open and len(made.points) < MOST_POINTS:
        made.cut(weights_of, size * LONG, size * SHORT)
    is_even = not made.middles or (made.weights == made.weights[0]).all()
    return mesh if is_even else made.mesh(mesh)


class _Cut:
    """Triangles on their way to being fine; those that are done stand apart."""

    def __init__(self, mesh, weights):
        topology = mesh.topology
        self.points, self.weights = mesh.points, weights
        self.middles = []  # the ends (N, 2) of the edges whose middles were made, round by round
        corners = topology.triangle_corners.astype(np.int64)
        # Of each corner of each triangle: its point, where in the picture it lies, and the corner of before it is near.
        self.triangles = topology.triangles.astype(np.int64)
        self.uvs = None if mesh.uvs is None else mesh.uvs[corners]
        self.near = corners
        self.faces = topology.triangle_faces
        self.done = []

    @property
    def is_open(self):
        return len(self.triangles) > 0

    def cut(self, weights_of, long, short):
        """Cut all edges once that are to be cut; what has none is done."""
        ends = np.stack([self.triangles, np.roll(self.triangles, -1, axis=1)], axis=2)
        packed = ends.min(axis=2) * len(self.points) + ends.max(axis=2)
        edges, which = self._edges(packed, long)
        middle = (self.points[edges[:, 0]] + self.points[edges[:, 1]]) * np.float32(0.5)
        length = np.linalg.norm(self.points[edges[:, 0]] - self.points[edges[:, 1]], axis=1)
        weights = weights_of(middle)
        off = np.abs(weights - (self.weights[edges[:, 0]] + self.weights[edges[:, 1]]) / 2).max(axis=1, initial=0)
        is_cut = (length > short) & ((length > long) | (off > CLOSE))
        number = np.where(is_cut, len(self.points) + np.cumsum(is_cut) - 1, -1)
        at = np.where(which < 0, -1, number[which]) if len(number) else np.full(which.shape, -1)
        if is_cut.any():
            self.middles.append(edges[is_cut])
            self.points = np.concatenate([self.points, middle[is_cut]])
            self.weights = np.concatenate([self.weights, weights[is_cut]])
        self._divide(at.reshape(self.triangles.shape))

    def _edges(self, packed, long):
        """The edges (E, 2) that may be cut, and of each side of each triangle which of them it is, or -1."""
        count = len(self.points)
        flat = packed.ravel()
        if len(flat) <= 2 * FEW_EDGES:
            found, which = np.unique(flat, return_inverse=True)
            return np.stack(np.divmod(found, count), axis=1), which.reshape(-1)
        low, high = np.divmod(flat, count)
        differs = np.abs(self.weights[low] - self.weights[high]).max(axis=1, initial=0) > CLOSE
        differs |= np.linalg.norm(self.points[low] - self.points[high], axis=1) > long
        which = np.full(len(flat), -1)
        found, which[differs] = np.unique(flat[differs], return_inverse=True)
        return np.stack(np.divmod(found, count), axis=1), which

    def _divide(self, at):
        """Divide triangles by the numbers (T, 3) of the middles of their edges, -1 where these are not cut."""
        times = (at >= 0).sum(axis=1)
        self._finish(times == 0)
        pieces = [self._pieces(np.flatnonzero(times == count), at, count) for count in PIECES]
        joined = [None if column[0] is None else np.concatenate(column) for column in zip(*pieces, strict=True)]
        self.triangles, self.uvs, self.near, self.faces = joined

    def _finish(self, which):
        self.done.append(tuple(None if one is None else one[which] for one in self._columns()))

    def _columns(self):
        return self.triangles, self.uvs, self.near, self.faces

    def _pieces(self, rows, at, count):
        """The pieces of those triangles of which so many edges are cut."""
        cut = at[rows] >= 0
        # Turned so that the edges that are cut come first.
        first = np.zeros(len(rows), np.int64)
        if count == 1:
            first = cut.argmax(axis=1)
        elif count == 2:
            first = (cut.argmin(axis=1) + 1) % 3
        turn = (first[:, None] + np.arange(3)) % 3
        turned = lambda array: np.take_along_axis(array[rows], turn, axis=1)  # noqa: E731
        pick = PIECES[count]
        triangles = np.concatenate([turned(self.triangles), turned(at)], axis=1)[:, pick].reshape(-1, 3)
        near = turned(self.near)
        near = np.concatenate([near, near], axis=1)[:, pick].reshape(-1, 3)
        uvs = None
        if self.uvs is not None:
            uvs = np.take_along_axis(self.uvs[rows], turn[:, :, None], axis=1)
            middles = (uvs + np.roll(uvs, -1, axis=1)) / 2
            uvs = np.concatenate([uvs, middles], axis=1)[:, pick].reshape(-1, 3, 2)
        return triangles, uvs, near, np.repeat(self.faces[rows], len(pick))

    def mesh(self, mesh):
        self._finish(slice(None))
        triangles, uvs, near, faces = (
            None if column[0] is None else np.concatenate(column) for column in zip(*self.done, strict=True)
        )
        near = near.reshape(-1)
        topology = Topology.of_faces(triangles, len(self.points))
        key = content_key("finer", mesh.key, topology.corners, *self.middles) if mesh.key else ""
        return Mesh(
            self.points,
            Topology(
                topology.offsets, topology.corners, len(self.points), key=content_key("finer faces", topology.corners),
                sealed=mesh.topology.is_closed,
            ),  # fmt: skip
            colours=None if mesh.colours is None else self._blended(mesh.colours),
            known_uvs=None if uvs is None else uvs.reshape(-1, 2),
            is_flat=mesh.is_flat,
            key=key,
            # Not as long as 1: so they are between points what they were before.
            known_normals=None if mesh.is_flat else self._blended(mesh.normals),
            opacity=None if mesh.opacity is None else self._blended(mesh.opacity[:, None])[:, 0],
            at_points=mesh.at_points.mapped(self._blended, self._nearest),
            at_corners=mesh.at_corners.gathered(near),
            at_faces=mesh.at_faces.gathered(faces),
        )  # fmt: skip

    def _blended(self, rows):
        for ends in self.middles:
            rows = np.concatenate([rows, (rows[ends[:, 0]] + rows[ends[:, 1]]) * np.float32(0.5)])
        return rows

    def _nearest(self, rows):
        for ends in self.middles:
            rows = np.concatenate([rows, rows[ends[:, 0]]])
        return rows
