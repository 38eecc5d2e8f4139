"""What is made of flat outlines: filled faces with their holes, solids with bevelled edges, and bare curves.

Solids are closed: caps, bevels and walls have points of their own, so that their edges stay sharp, and are sewn
together by faces without area.
"""

import numpy as np
from manifold3d import triangulate

from ..data.mesh import Mesh, Topology
from ..kernels.geometry.place import unit_rows
from .outline import Rings, holds, shrunk

CREASE_COSINE = np.cos(np.radians(32))


def _triangulated(rings) -> tuple[np.ndarray, np.ndarray]:
    """Return the points of rings, outer ones turning left and holes right, and (T, 3) triangles that fill them.

    Every edge of a ring is the edge of one triangle, whatever lies in line with it, so that solids close.
    """
    return np.concatenate(rings), triangulate([np.ascontiguousarray(ring) for ring in rings]).astype(np.int64)


class _Sewing:
    """Collects points with their normals, faces and shown edges."""

    def __init__(self):
        self.points, self.normals, self.faces, self.edges = [], [], [], []
        self.count = 0

    def add(self, points, normals) -> np.ndarray:
        """Add points; returns their numbers."""
        start = self.count
        self.points.append(points)
        self.normals.append(normals)
        self.count += len(points)
        return np.arange(start, self.count)

    def flat(self, polygon, height, up) -> list[np.ndarray]:
        """Fill a polygon at a height, facing up or down; returns the numbers of each ring's points."""
        points, triangles = _triangulated(polygon)
        normals = np.tile([0.0, 0.0, 1.0 if up else -1.0], (len(points), 1))
        numbers = self.add(np.column_stack([points, np.full(len(points), height)]), normals)
        self.faces.extend(numbers[triangles if up else triangles[:, ::-1]])
        cuts = np.cumsum([len(ring) for ring in polygon])[:-1]
        return np.split(numbers, cuts)

    def band(self, lower, upper):
        """Join two closed rows of equally many points by quads, seen from their right."""
        self.faces.extend(np.stack([lower, np.roll(lower, -1), np.roll(upper, -1), upper], axis=1))

    def show(self, ring):
        self.edges.append(np.stack([ring, np.roll(ring, -1)], axis=1))

    def mesh(self, uvs_of) -> Mesh:
        if not self.count:
            return Mesh.empty()
        points = np.concatenate(self.points)
        sizes = np.array([len(face) for face in self.faces])
        topology = Topology(
            np.concatenate([[0], np.cumsum(sizes)]),
            np.concatenate(self.faces) if self.faces else np.zeros(0),
            len(points),
            outline=np.concatenate(self.edges) if self.edges else np.zeros((0, 2)),
        )
        return Mesh(
            points, topology, known_normals=np.concatenate(self.normals), known_uvs=uvs_of(points)[topology.corners]
        )


def _uvs(rings):
    low = np.min([ring.min(axis=0) for ring in rings.rings], axis=0)
    size = np.maximum(np.max([ring.max(axis=0) for ring in rings.rings], axis=0) - low, 1e-9)
    return lambda points: np.clip((points[:, :2] - low) / size, 0, 1)


def filled(rings: Rings) -> Mesh:
    """Return flat faces towards z that fill outlines, with their holes."""
    if not rings.polygons:
        return Mesh.empty()
    sewing = _Sewing()
    for polygon in rings.polygons:
        for ring in sewing.flat(polygon, 0.0, True):
            sewing.show(ring)
    return sewing.mesh(_uvs(rings))


def _corners(ring):
    """Split a ring's sharp corners: (M,) places in the ring, and (M, 2) outward normals of the wall there."""
    ways = np.roll(ring, -1, axis=0) - ring
    ways = unit_rows(ways)
    out = np.stack([ways[:, 1], -ways[:, 0]], axis=1)
    before = np.roll(out, 1, axis=0)
    is_sharp = (out * before).sum(axis=1) < CREASE_COSINE
    mean = unit_rows(out + before)
    place = np.repeat(np.arange(len(ring)), 1 + is_sharp)
    second = np.concatenate([[False], place[1:] == place[:-1]])
    normals = np.where(is_sharp[place][:, None], np.where(second[:, None], out[place], before[place]), mean[place])
    return place, normals, np.flatnonzero(is_sharp[place] & ~second)


def _sew(sewing, ring, row, place, is_above):
    """Close the seam without width between a ring of single points and a wall's row, where corners stand twice."""
    following = np.roll(np.arange(len(place)), -1)
    for i, j in enumerate(following):
        corners = [row[i], row[j]] + ([ring[place[i]]] if place[i] == place[j] else [ring[place[j]], ring[place[i]]])
        sewing.faces.append(np.array(corners if is_above else corners[::-1]))


def _wall(sewing, ring2, ring_top, ring_foot, top, foot):
    place, normals, sharp = _corners(ring2)
    flat_normals = np.column_stack([normals, np.zeros(len(normals))])
    at = ring2[place]
    upper = sewing.add(np.column_stack([at, np.full(len(at), top)]), flat_normals)
    lower = sewing.add(np.column_stack([at, np.full(len(at), foot)]), flat_normals)
    sewing.band(lower, upper)
    _sew(sewing, ring_top, upper, place, True)
    _sew(sewing, ring_foot, lower, place, False)
    # Corners stand twice, in one place: what lies between is no edge to see.
    apart = place != np.roll(place, -1)
    for row in (upper, lower):
        sewing.edges.append(np.stack([row, np.roll(row, -1)], axis=1)[apart])
    if len(sharp):
        sewing.edges.append(np.stack([lower[sharp], upper[sharp]], axis=1))


def _profile(bevel, steps):
    """(inset, drop) of each ring of a round bevel, from the wall to the cap; one step is a straight cut."""
    angles = np.linspace(0, np.pi / 2, steps + 1)
    return bevel * (1 - np.cos(angles)), bevel * (1 - np.sin(angles))


def _bevelled(sewing, rings, height, bevel, steps, up):
    """Close one end of a solid with a bevel and a cap; returns for each ring of the outline its points' numbers."""
    insets, drops = _profile(bevel, steps)
    way = 1.0 if up else -1.0
    outlines = [rings, *(shrunk(rings, inset) for inset in insets[1:])]
    rings_by_name = {}
    for outer, inner, high, low in zip(outlines, outlines[1:], drops[1:], drops, strict=False):
        for polygon in _between(outer, inner):
            _strip(sewing, polygon, outer, height - way * low, height - way * high, up, rings_by_name)
    for polygon in outlines[-1].polygons:
        for numbers, ring in zip(sewing.flat(polygon, height, up), polygon, strict=True):
            sewing.show(numbers)
            if _name(ring, height) in rings_by_name:
                _stitch(sewing, rings_by_name[_name(ring, height)], numbers, up)
    return [rings_by_name[_name(ring, height - way * drops[0])] for ring in rings.rings]


def _name(ring, height):
    return (ring.tobytes(), round(height, 9))


def _stitch(sewing, strip, cap, up):
    """Join a bevel's last ring and the cap's, which lie in the same place."""
    if up:
        sewing.band(strip, cap)
    else:
        sewing.band(cap, strip)


def _between(outer: Rings, inner: Rings):
    """Polygons of the ground between outlines and the smaller ones inside them: rings of `outer` first."""
    polygons = []
    for polygon in outer.polygons:
        cut = [*polygon]
        for small in inner.polygons:
            if holds(polygon, small[0][0]):
                cut.extend(ring[::-1] for ring in small)
        polygons.append((polygon, cut))
    return polygons


def _strip(sewing, polygons, outer, low, high, up, rings_by_name):
    polygon, cut = polygons
    points, triangles = _triangulated(cut)
    outer_count = sum(len(ring) for ring in polygon)
    heights = np.where(np.arange(len(points)) < outer_count, low, high)
    solid = np.column_stack([points, heights])
    faces = triangles if up else triangles[:, ::-1]
    normals = _point_normals(solid, faces)
    numbers = sewing.add(solid, normals)
    sewing.faces.extend(numbers[faces])
    at = 0
    for index, ring in enumerate(cut):
        ring_points = numbers[at : at + len(ring)]
        at += len(ring)
        is_outer = index < len(polygon)
        plain = ring if is_outer else ring[::-1]
        name = _name(plain, low if is_outer else high)
        ring_points = ring_points if is_outer else ring_points[::-1]
        if is_outer and name in rings_by_name:
            # The strip below ends here: its last ring and this first one lie in the same place.
            _stitch(sewing, rings_by_name[name], ring_points, up)
        else:
            rings_by_name[name] = ring_points


def _point_normals(points, faces):
    a, b, c = points[faces].transpose(1, 0, 2)
    normals = np.zeros_like(points)
    vectors = np.cross(b - a, c - a)
    for k in range(3):
        np.add.at(normals, faces[:, k], vectors)
    return unit_rows(normals)


def solid(rings: Rings, depth: float, bevel: float = 0.0, steps: int = 1) -> Mesh:
    """Return outlines pushed to a depth around z = 0, closed, with sharp edges or bevelled ones.

    depth  of the whole solid, above 0
    bevel  how far its edges are cut back, at most half the depth; 0 keeps them sharp
    steps  1 is a straight cut, more are rounder
    """
    if not rings.polygons:
        return Mesh.empty()
    if depth <= 0:
        return filled(rings)
    bevel = min(bevel, depth / 2)
    top, foot = depth / 2, -depth / 2
    sewing = _Sewing()
    if bevel > 0:
        above = _bevelled(sewing, rings, top, bevel, steps, True)
        below = _bevelled(sewing, rings, foot, bevel, steps, False)
        for ring, upper, lower in zip(rings.rings, above, below, strict=True):
            _wall(sewing, ring, upper, lower, top - bevel, foot + bevel)
    else:
        for polygon in rings.polygons:
            above = sewing.flat(polygon, top, True)
            below = sewing.flat(polygon, foot, False)
            for ring, upper, lower in zip(polygon, above, below, strict=True):
                _wall(sewing, ring, upper, lower, top, foot)
    return sewing.mesh(_uvs(rings))


def outlines(paths, closed) -> Mesh:
    """Return (N, 2) paths as curves at z = 0."""
    kept = [(path, is_closed) for path, is_closed in zip(paths, closed, strict=True) if len(path) >= 2]
    if not kept:
        return Mesh.empty()
    points = np.concatenate([path for path, _ in kept])
    return Mesh.curves(
        np.column_stack([points, np.zeros(len(points))]),
        [len(path) for path, _ in kept],
        [is_closed for _, is_closed in kept],
    )
