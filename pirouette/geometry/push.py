"""Faces pushed outward, one by one or together, with walls around them."""

from dataclasses import replace

import numpy as np

from ..data.mesh import Mesh, Topology
from ..kernels.geometry.place import unit_rows
from .neighbours import neighbours


def pushed_apart(mesh: Mesh, amounts, insets) -> Mesh:
    """Return a mesh each of whose faces stands out by itself, on walls of its own.

    amounts  (F,) how far each goes along its normal; one that goes nowhere and is not inset stays as it is
    insets   (F,) shares of the way that its corners go to its middle
    Returns  a Mesh with flat faces, closed if the first one was
    """
    old = mesh.topology
    face = np.repeat(np.arange(old.face_count), old.sizes)
    middles = np.stack([np.bincount(face, column, old.face_count) for column in mesh.points[old.corners].T], axis=1)
    middles /= np.maximum(old.sizes, 1)[:, None]
    normals = unit_rows(mesh.face_vectors.astype(np.float64))
    # Faces without an area sew doubled points together: they have no way to go.
    moves = ((amounts != 0) | (insets != 0)) & normals.any(axis=1) & (old.sizes > 2)
    stands = moves[face]
    at = mesh.points[old.corners].astype(np.float64)
    tops = at + (middles[face] - at) * insets[face][:, None] + normals[face] * amounts[face][:, None]
    number = np.full(len(face), -1)
    number[stands] = len(mesh.points) + np.arange(stands.sum())
    corners = np.where(stands, number, old.corners)
    here = np.flatnonzero(stands)
    after = old.following[here]
    walls = np.stack([old.corners[here], old.corners[after], number[after], number[here]], axis=1)
    index = np.concatenate([np.arange(len(mesh.points)), old.corners[here]])
    rows = np.stack([here, after, after, here], axis=1)
    points = np.concatenate([mesh.points, tops[here]])
    return _made(mesh, index, points, corners, [(walls, rows)], is_flat=True)


def pushed_together(mesh: Mesh, chosen, amounts, insets) -> Mesh:
    """Return a mesh whose chosen faces stand out together, with walls where they end.

    chosen   (F,) bool
    amounts  (V,) how far points of these go along their normals
    insets   (V,) shares of the way from the rim to the middle of the chosen points beside
    Returns  a Mesh; walls have points of their own and are sewn on by faces without area
    """
    old = mesh.topology
    face = np.repeat(np.arange(old.face_count), old.sizes)
    around = neighbours(mesh)
    stands = chosen[face]
    here = np.flatnonzero(stands)
    place = around.place[old.corners]
    # Over the edges between chosen faces there is no wall, whether points are doubled there or not.
    count = len(around.first)
    ways = place, place[old.following]
    there, back = ways[0] * count + ways[1], ways[1] * count + ways[0]
    real = stands & (ways[0] != ways[1])
    rim = here[real[here] & ~np.isin(there[here], back[real])]
    used = np.unique(old.corners[here])
    number = np.full(len(mesh.points), -1)
    number[used] = len(mesh.points) + np.arange(len(used))
    normals = _means_at_places(mesh, around, chosen, face)
    tops = mesh.points[used] + normals[around.place[used]] * amounts[used][:, None]
    if np.any(insets):
        tops += _inwards(mesh, around, rim, here)[around.place[used]] * insets[used][:, None]
    corners = np.where(stands, number[old.corners], old.corners)
    after = old.following[rim]
    foot = np.stack([old.corners[rim], old.corners[after]], axis=1)
    top = number[foot]
    # Walls have four points of their own each, so that their edges stay sharp.
    total = len(mesh.points) + len(used)
    own = total + np.arange(4 * len(rim)).reshape(-1, 4)
    walls = np.concatenate(
        [
            own,
            np.stack([foot[:, 0], foot[:, 1], own[:, 1], own[:, 0]], axis=1),
            np.stack([own[:, 3], own[:, 2], top[:, 1], top[:, 0]], axis=1),
        ]
    )
    index = np.concatenate([np.arange(len(mesh.points)), used, np.stack([*foot.T, *foot.T[::-1]], axis=1).reshape(-1)])
    points = np.concatenate([mesh.points, tops])
    points = np.concatenate([points, np.stack([points[foot[:, 0]], points[foot[:, 1]], points[top[:, 1]],
                                               points[top[:, 0]]], axis=1).reshape(-1, 3)])  # fmt: skip
    rows = np.tile(np.stack([rim, after, after, rim], axis=1), (3, 1))
    return _made(mesh, index, points, corners, [(walls, rows), *_seams(foot, top, own, around, rim)], is_flat=False)


def _seams(foot, top, own, around, rim):
    """Faces without area between walls that stand side by side, and the corners of the rim that they are like."""
    ends = {}
    for wall, (a, b) in enumerate(around.place[foot].tolist()):
        ends.setdefault(a, [[], []])[0].append(wall)
        ends.setdefault(b, [[], []])[1].append(wall)
    pairs = [pair for firsts, lasts in ends.values() for pair in zip(firsts, lasts, strict=False)]
    if not pairs:
        return
    first, last = np.array(pairs).T
    sides = np.stack([own[last, 1], own[first, 0], own[first, 3], own[last, 2]], axis=1)
    feet = np.stack([own[last, 1], foot[first, 0], own[first, 0]], axis=1)
    tips = np.stack([top[first, 0], own[last, 2], own[first, 3]], axis=1)
    for faces in (sides, feet, tips):
        yield faces, np.repeat(rim[first][:, None], faces.shape[1], axis=1)


def _means_at_places(mesh, around, chosen, face):
    """(W, 3) unit normals of the chosen faces at each place."""
    sums = np.zeros((len(around.first), 3))
    mine = chosen[face]
    np.add.at(sums, around.place[mesh.topology.corners[mine]], mesh.face_vectors[face[mine]].astype(np.float64))
    return unit_rows(sums)


def _inwards(mesh, around, rim, here):
    """(W, 3) from each place on the rim to the middle of the chosen places beside it; zero elsewhere."""
    at = mesh.points[around.first].astype(np.float64)
    corners, following = mesh.topology.corners, mesh.topology.following
    on_rim = np.zeros(len(at), bool)
    on_rim[around.place[corners[rim]]] = on_rim[around.place[corners[following[rim]]]] = True
    face = np.repeat(np.arange(mesh.topology.face_count), mesh.topology.sizes)
    sizes = np.maximum(mesh.topology.sizes, 1)
    middles = np.stack([np.bincount(face, column, len(sizes)) for column in mesh.points[corners].T], axis=1)
    middles /= sizes[:, None]
    sums, counts = np.zeros((len(at), 3)), np.zeros(len(at))
    np.add.at(sums, around.place[corners[here]], middles[face[here]])
    np.add.at(counts, around.place[corners[here]], 1)
    return np.where(on_rim[:, None], sums / np.maximum(counts, 1)[:, None] - at, 0)


def _made(mesh, index, points, corners, walls, is_flat) -> Mesh:
    """The mesh of old faces with new corners, and of walls: faces, and the corners that theirs are like.

    Everything else is carried along.
    """
    old = mesh.topology
    sizes = np.concatenate([old.sizes, *(np.full(len(faces), faces.shape[1]) for faces, _ in walls)])
    topology = Topology(
        np.concatenate([[0], np.cumsum(sizes)]),
        np.concatenate([corners, *(faces.reshape(-1) for faces, _ in walls)]),
        len(points),
        lines=old.lines,
    )
    face = np.repeat(np.arange(old.face_count), old.sizes)
    rows = np.concatenate([np.arange(len(corners)), *(rows.reshape(-1) for _, rows in walls)])
    faces = np.concatenate([np.arange(old.face_count), *(face[rows[:, 0]] for _, rows in walls)])
    curves = None if old.lines is None else np.arange(old.curve_count)
    made = mesh.gathered(index, topology, corners=rows, faces=faces, curves=curves)
    return replace(made, points=points, known_normals=None, is_flat=is_flat)
