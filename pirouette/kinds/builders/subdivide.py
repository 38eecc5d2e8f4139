"""Finer faces, smoothed or kept where they are."""

from dataclasses import replace

import numpy as np

from ...data import Mesh, Topology
from ...schema import Kind, Settings, choice, integer


class SubdivideSettings(Settings):
    times: int = integer(1, soft=(0, 4), hard=(0, 7), headline=True)
    """How often each face is cut into smaller ones."""
    surface: str = choice("smooth", ("smooth", "as it is"), headline=True)
    """Round the shape, or only cut its faces."""


def subdivide(mesh, weights, settings) -> Mesh:
    """Cut every face into quads, one for each of its corners.

    weights  (V,) 0..1 from the step's field: how much of the rounding each point gets
    Returns  a Mesh of all quads; curves keep their points
    Source  E. Catmull and J. Clark, "Recursively generated B-spline surfaces", Computer-Aided Design 10 (1978)
    """
    for _ in range(settings.times):
        mesh, weights = _once(mesh, weights, settings.surface == "smooth")
    return mesh


def _once(mesh, weights, is_smooth):
    topology = mesh.topology
    point_count, face_count = topology.point_count, topology.face_count
    if not face_count:
        return mesh, weights
    sizes = topology.sizes
    low_high = np.sort(topology.half_edges.astype(np.int64), axis=1)
    packed, edge_of_corner = np.unique(low_high[:, 0] * point_count + low_high[:, 1], return_inverse=True)
    ends = np.stack([packed // point_count, packed % point_count], axis=1)
    face_of_corner = np.repeat(np.arange(face_count), sizes)
    faces_at_edge = np.bincount(edge_of_corner, minlength=len(ends))

    def refine(values, is_rounded=is_smooth):
        values = values.astype(np.float64)
        centres = _sum(face_of_corner, values[topology.corners], face_count) / sizes[:, None]
        middles = values[ends].mean(axis=1)
        plain = np.concatenate([values, middles, centres])
        if not is_rounded:
            return plain.astype(np.float32)
        is_border = faces_at_edge != 2
        beside = _sum(edge_of_corner, centres[face_of_corner], len(ends)) / faces_at_edge[:, None]
        edge_points = np.where(is_border[:, None], middles, (middles + beside) / 2)
        rounded = np.concatenate([_smooth_corners(values, centres, middles, is_border), edge_points, centres])
        return (plain + (rounded - plain) * finer_weights).astype(np.float32)

    def _smooth_corners(values, centres, middles, is_border):
        valence = np.bincount(ends.ravel(), minlength=point_count)
        uses = np.maximum(np.bincount(topology.corners, minlength=point_count), 1)[:, None]
        around = _sum(topology.corners, centres[face_of_corner], point_count) / uses
        n = np.maximum(valence, 1)[:, None]
        along = _sum(ends.ravel(), np.repeat(middles, 2, axis=0), point_count) / n
        inner = (around + 2 * along + (n - 3) * values) / n
        border = ends[is_border]
        rim_count = np.bincount(border.ravel(), minlength=point_count)
        rim = _sum(border.ravel(), np.repeat(middles[is_border], 2, axis=0), point_count)
        on_rim = (rim + 2 * values) / 4
        # A border point with two border edges follows the border; any other crossing of borders stays.
        moved = np.where((rim_count == 2)[:, None], on_rim, np.where((rim_count > 0)[:, None], values, inner))
        return np.where((valence == 0)[:, None], values, moved)

    finer_weights = refine(weights[:, None], False)
    following = edge_of_corner
    starts = np.repeat(topology.offsets[:-1], sizes)
    position = np.arange(len(topology.corners)) - starts
    before = edge_of_corner[starts + (position - 1) % np.repeat(sizes, sizes)]
    quads = np.stack(
        [
            topology.corners,
            point_count + following,
            point_count + len(ends) + face_of_corner,
            point_count + before,
        ],
        axis=1,
    )
    total = point_count + len(ends) + face_count
    finer = replace(Topology.of_faces(quads, total), lines=topology.lines)
    made = Mesh(
        refine(mesh.points),
        finer,
        colours=None if mesh.colours is None else refine(mesh.colours),
        uvs=None if mesh.uvs is None else _finer_uvs(mesh.uvs, topology),
        opacity=None if mesh.opacity is None else refine(mesh.opacity[:, None], False)[:, 0],
        is_flat=mesh.is_flat and not is_smooth,
    )
    return made, finer_weights[:, 0]


def _finer_uvs(uvs, topology):
    """The corner itself, the middles of the edges after and before it, and the middle of the face, for each corner."""
    middle = (uvs + uvs[topology.following]) / 2
    before = np.empty_like(middle)
    before[topology.following] = middle
    faces = np.repeat(np.arange(topology.face_count), topology.sizes)
    centre = (_sum(faces, uvs, topology.face_count) / np.maximum(topology.sizes, 1)[:, None])[faces]
    return np.stack([uvs, middle, centre, before], axis=1).reshape(-1, 2)


def _sum(index, rows, count):
    return np.stack([np.bincount(index, rows[:, k], minlength=count) for k in range(rows.shape[1])], axis=1)


def estimate(settings, corner_count):
    return corner_count * 4**settings.times


KIND = Kind(
    "subdivide",
    "build",
    SubdivideSettings,
    subdivide,
    "Subdivide **{times}** times, **{surface}**",
    estimate=estimate,
)
