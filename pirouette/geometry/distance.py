"""Distances from what a mesh is made of, in a grid around it."""

from dataclasses import dataclass

import numpy as np

# scipy loads its parts when they are first used.
import scipy

from ..data.mesh import Mesh
from ..kernels.geometry.nearest import Tree
from .edges import edges_where

# Distances are first told at every so many nodes along each side,
BLOCK = 4
# and exactly at those that are no more cells than this away from the skin.
EXACT = 4.5
# How much distances bend from one block to the next, as a share of it, where they are folded and not round.
FOLD = 0.25
# Rows of nodes are looked along a little beside them, where forms have no edges.
BESIDE = np.array([0.00137, 0.00211, 0.00173])


@dataclass(frozen=True, eq=False)
class Distances:
    """Distances at the nodes of a grid.

    low      (3,) its first node
    cell     from node to node
    skin     (2, 3) low and high corners of what lies below nought
    values   (nz, ny, nx) float32, below nought inside; never beyond the band
    colours  (nz, ny, nx, 4) float32 colours and opacities of what is nearest, or None
    """

    low: np.ndarray
    cell: float
    skin: np.ndarray
    values: np.ndarray
    colours: np.ndarray | None

    @property
    def box(self) -> np.ndarray:
        """(2, 3) its first and last nodes."""
        return np.stack([self.low, self.low + (np.array(self.values.shape[::-1]) - 1) * self.cell])


def distances_around(mesh: Mesh, thickness, cell: float, band: float, within: float, coloured) -> Distances | None:
    """Return distances from a mesh in a grid that reaches `band` beyond it, or None of nothing.

    thickness  of surfaces that are not closed, curves and points
    within     how far distances are known inside; deeper they are just this much
    """
    is_closed, trees = _trees(mesh)
    if not trees:
        return None
    low, high = (corner.astype(np.float64) for corner in mesh.bounds)
    reach = band + thickness / 2 + cell
    skin = np.stack([low - thickness / 2, high + thickness / 2])
    low, high = low - reach, high + reach
    blocks = np.ceil((high - low)[::-1] / (cell * BLOCK)).astype(np.int64) + 1
    # One block more at each side, whose nodes the smooth curves through coarse distances need.
    coarse = _coarse(trees, low - BLOCK * cell, BLOCK * cell, blocks + 2, is_closed, thickness)
    values = _finer(coarse)
    shape = values.shape
    inside = _inside(trees[0], low, cell, shape) if is_closed else np.zeros(shape, bool)
    near = np.argwhere((np.abs(values) < EXACT * cell) | (_has_folds(coarse, cell) & (values < band) & ~inside))
    at = tuple(near.T)
    places = low + near[:, ::-1] * cell
    values = np.clip(values, -within, band)
    values[at] = band
    colours = np.ones((*shape, 4), np.float32) if coloured else None
    for tree, stands_off in zip(trees, _half_thick(trees, is_closed, thickness), strict=True):
        items, barys, away = tree.closest(places)
        nearer = away - stands_off < values[at]
        values[at] = np.where(nearer, away - stands_off, values[at])
        if coloured:
            _paint(colours, at, nearer, mesh, tree.items[items], barys)
    values[inside] = -np.abs(values[inside])
    values = np.maximum(values, -within)
    return Distances(low, cell, skin, values, colours)


def _half_thick(trees, is_closed, thickness):
    """How far the skin stands off from what each tree is over: a closed form is its own skin."""
    return [0.0 if is_closed and tree is trees[0] else thickness / 2 for tree in trees]


def _coarse(trees, low, step, shape, is_closed, thickness):
    """(nz, ny, nx) distances at the nodes of a coarse grid; of closed forms on both sides above nought."""
    nodes = np.stack(np.meshgrid(*(np.arange(count) for count in shape), indexing="ij"), axis=-1).reshape(-1, 3)
    places = low + nodes[:, ::-1] * step
    stands_off = _half_thick(trees, is_closed, thickness)
    away = [tree.closest(places)[2] - off for tree, off in zip(trees, stands_off, strict=True)]
    return np.min(away, axis=0).astype(np.float32).reshape(shape)


def _has_folds(coarse, cell):
    """(nz, ny, nx) where two parts of a mesh are about as near: there is a fold in distances."""
    is_fold = np.zeros(coarse.shape, bool)
    for axis in range(3):
        rows = np.moveaxis(coarse, axis, 0)
        bent = np.abs(rows[2:] - 2 * rows[1:-1] + rows[:-2]) > FOLD * BLOCK * cell
        np.moveaxis(is_fold, axis, 0)[1:-1] |= bent
    fine = scipy.ndimage.maximum_filter(is_fold, 3)[1:-1, 1:-1, 1:-1]
    for axis in range(3):
        fine = fine.repeat(BLOCK, axis)
    return fine[tuple(slice(BLOCK * (count - 3) + 1) for count in coarse.shape)]


def _finer(coarse):
    """Values at BLOCK times as many nodes along each side, on smooth curves through coarse ones but for the outermost.

    Source  E. Catmull and R. Rom, "A class of local interpolating splines", 1974
    """
    t = np.arange(BLOCK, dtype=np.float32)[:, None] / BLOCK
    shares = np.concatenate(
        [-t + 2 * t**2 - t**3, 2 - 5 * t**2 + 3 * t**3, t + 4 * t**2 - 3 * t**3, -(t**2) + t**3], axis=1
    ) / 2  # fmt: skip
    for axis in range(3):
        rows = np.moveaxis(coarse, axis, 0)
        spans = len(rows) - 3
        fine = sum(
            shares[:, k].reshape(1, BLOCK, 1, 1) * rows[k : k + spans, None] for k in range(4)
        ).reshape(spans * BLOCK, *rows.shape[1:])  # fmt: skip
        coarse = np.moveaxis(np.concatenate([fine, rows[-2:-1]]), 0, axis)
    return np.ascontiguousarray(coarse, np.float32)


def _trees(mesh):
    """Whether a mesh's faces are closed, and trees over its faces, its curves and its loose points."""
    topology, found = mesh.topology, []
    is_closed = bool(topology.face_count) and not len(edges_where(mesh, "borders", np.pi))
    used = np.zeros(len(mesh.points), bool)
    if topology.face_count:
        found.append(Tree(mesh.points, topology.triangles))
        used[topology.corners] = True
    if topology.lines is not None and topology.lines.count:
        if len(topology.lines.segments):
            found.append(Tree(mesh.points, topology.lines.segments))
        used[topology.lines.segments] = True
    loose = np.flatnonzero(~used)
    if len(loose):
        found.append(Tree(mesh.points, np.stack([loose, loose], axis=1)))
    return is_closed, found


def _paint(colours, at, nearer, mesh, corners, barys):
    shares = barys[nearer][:, : corners.shape[1]]
    mixed = np.ones((len(shares), 4), np.float32)
    if mesh.colours is not None:
        mixed[:, :3] = np.einsum("nk,nkc->nc", shares, mesh.colours[corners[nearer]])
    if mesh.opacity is not None:
        mixed[:, 3] = np.einsum("nk,nk->n", shares, mesh.opacity[corners[nearer]])
    colours[tuple(part[nearer] for part in at)] = mixed


def _inside(tree, low, cell, shape):
    """(nz, ny, nx) which nodes lie inside, as two of the three rows through each of them say."""
    votes = np.zeros(shape, np.int8)
    for axis in range(3):
        others = [other for other in range(3) if other != axis]
        counts = shape[::-1]
        rows = np.stack(np.meshgrid(*(np.arange(counts[other]) for other in others), indexing="ij"), axis=-1)
        starts = np.empty((rows.shape[0] * rows.shape[1], 3))
        for column, other in enumerate(others):
            starts[:, other] = low[other] + (rows[..., column].reshape(-1) + BESIDE[other]) * cell
        starts[:, axis] = low[axis]
        ends = starts.copy()
        length = counts[axis] - 1
        ends[:, axis] = low[axis] + length * cell
        numbers, shares = tree.met(starts, ends)
        passed = np.zeros((len(starts), counts[axis] + 1), np.int32)
        np.add.at(passed, (numbers, np.ceil(shares * length).astype(np.int64)), 1)
        within = (np.cumsum(passed[:, :-1], axis=1) % 2 == 1).reshape(*rows.shape[:2], counts[axis])
        # The axes of `within` are the two others and this one, all as x, y, z; those of the grid are z, y, x.
        votes += within.transpose([(*others, axis).index(one) for one in (2, 1, 0)])
    return votes >= 2
