"""Forms, copies, points and curves as one smooth skin."""

from dataclasses import replace

import numpy as np

from ..data.copies import Copies, Placed
from ..data.mesh import Mesh, Topology
from ..data.problem import Problem, ProblemError
from ..kernels.geometry.skin import Laid, Sampled, laid_together, mixed_at, skin_of
from .distance import distances_around
from .pieces import parted

MOST_NODES = 8_000_000
MOST_PIECES = 500
# How many cells the grid around a source has along its longest side at most.
FINEST = 128
SMALLEST = 1e-9
BEYOND = 2


def melded(placed, cell: float, flow: float, thickness: float, swell: float, weights_at, check_wanted) -> Mesh:
    """Return the skin around meshes at their places.

    cell        the size of its cells, which stand at multiples of it
    flow        how near two things have to be to flow into each other
    thickness   of surfaces that are not closed, curves and points
    swell       how far the skin stands off, times what weights_at gives at places (N, 3)
    Raises      ProblemError if there would be too many cells
    """
    placed = _apart(placed)
    within = abs(swell) + BEYOND * cell
    band = flow + within
    sources = _sampled(placed, cell, thickness, band, within, check_wanted)
    if not sources:
        return Mesh.empty()
    low, count = _grid(sources, cell, bulge_of(flow, sum(len(mine) for _, _, mine, _ in sources)) + max(swell, 0))
    if int(np.prod(count, dtype=object)) > MOST_NODES:
        message = f"the skin would need {int(np.prod(count, dtype=object)):,} cells; allowed up to {MOST_NODES:,}"
        raise ProblemError(Problem("cells", message, "meld.cells"))
    coloured = sources[0][1].colours is not None
    sampled, laid = _as_kernels_read(sources, low, count, cell)
    check_wanted()
    values, mix = laid_together(sampled, laid, count, flow, band, cell, coloured)
    if swell:
        near = np.flatnonzero(np.abs(values) < within)
        nodes = np.stack(np.unravel_index(near, count[::-1])[::-1], axis=1)
        values[near] -= swell * weights_at((low + nodes * cell).astype(np.float32))
    check_wanted()
    points, normals, faces = skin_of(values, count)
    colours = mixed_at(mix, count, points).astype(np.float32) if coloured else None
    return Mesh(
        (low + points * cell).astype(np.float32),
        Topology(np.arange(len(faces) + 1) * 4, faces.reshape(-1), len(points)),
        colours=None if colours is None else colours[:, :3],
        opacity=None if colours is None else np.clip(colours[:, 3], 0, 1),
        known_normals=normals.astype(np.float32),
    )


def placed_in(shape: Mesh | Copies | None) -> list[Placed]:
    """Return the meshes of a shape that have points, each with the places where it stands."""
    if shape is None:
        return []
    copies = Copies.at(shape, np.zeros((1, 3), np.float32)) if isinstance(shape, Mesh) else shape
    return [placed for placed in copies.flattened() if len(placed.mesh.points)]


def _apart(placed) -> list[Placed]:
    """What hangs together, each for itself: single points as copies of one, all else piece by piece.

    Raises  ProblemError if there are too many pieces
    """
    found = []
    for one in placed:
        topology = one.mesh.topology
        if len(topology.alone) < topology.point_count:
            pieces = [piece for piece in parted(one.mesh) if piece.topology.face_count or piece.topology.lines]
            if len(found) + len(pieces) > MOST_PIECES:
                message = (
                    f"more than {MOST_PIECES} pieces flow into each other; allowed so many, and any number of copies"
                )
                raise ProblemError(Problem("", message, "meld.pieces"))
            found += [replace(one, mesh=piece) for piece in pieces]
        if len(topology.alone):
            found.append(_points_alone(one, topology.alone))
    return found


def _points_alone(one, loose) -> Placed:
    """The single points of a mesh at all its places, as places of a point in the origin."""
    matrices, count = np.repeat(one.matrices, len(loose), axis=0), len(one.matrices)
    at = np.tile(one.mesh.points[loose], (count, 1))
    matrices[:, :, 3] += np.einsum("nij,nj->ni", matrices[:, :, :3], at)
    colours, opacity = np.repeat(one.colours, len(loose), axis=0), np.repeat(one.opacity, len(loose))
    if one.mesh.colours is not None:
        colours = colours * np.tile(one.mesh.colours[loose], (count, 1))
    if one.mesh.opacity is not None:
        opacity = opacity * np.tile(one.mesh.opacity[loose], count)
    point = Mesh(np.zeros((1, 3), np.float32), Topology(np.zeros(1), np.zeros(0), 1))
    return Placed(point, matrices, colours, opacity)


def _is_coloured(placed):
    meshes = [one.mesh for one in placed]
    return any(mesh.colours is not None or mesh.opacity is not None for mesh in meshes) or any(
        (one.colours != 1).any() or (one.opacity != 1).any() for one in placed
    )


def _sampled(placed, cell, thickness, band, within, check_wanted):
    """(rows of a Placed, Distances, its matrices, its colours, scales) for each source and each size it has."""
    coloured, found = _is_coloured(placed), []
    for one in placed:
        sizes = np.linalg.svd(one.matrices[:, :, :3].astype(np.float64), compute_uv=False)
        is_real = sizes[:, 2] > SMALLEST
        # Copies of about one size share a grid.
        octaves = np.floor(np.log2(np.maximum(sizes[:, 0], SMALLEST)))
        for octave in np.unique(octaves[is_real]):
            check_wanted()
            mine = np.flatnonzero(is_real & (octaves == octave))
            largest, least = sizes[mine, 0].max(), sizes[mine, 2].min()
            reach = band / least
            low, high = one.mesh.bounds
            extent = float((high - low).max()) + 2 * reach + thickness / largest
            inner = max(cell / largest, extent / FINEST)
            # What is thick is so in the whole, not in each copy's own size.
            own_thickness = thickness / np.sqrt(largest * least)
            made = distances_around(one.mesh, own_thickness, inner, reach, within / least, coloured)
            if made is not None:
                found.append((one, made, mine, sizes[mine]))
    return found


def boxes_at(matrices, box) -> np.ndarray:
    """Return (N, 2, 3) low and high corners around a (2, 3) box at each of (N, 3, 4) places."""
    matrices = matrices.astype(np.float64)
    middles = matrices[:, :, :3] @ box.mean(axis=0) + matrices[:, :, 3]
    halves = np.abs(matrices[:, :, :3]) @ (box[1] - box[0]) / 2
    return np.stack([middles - halves, middles + halves], axis=1)


def bulge_of(flow: float, count: int) -> float:
    """How far the skin of so many things in one place stands off further than that of one."""
    return flow * (1 - 1 / np.sqrt(max(count, 1)))


def _grid(sources, cell, bulge):
    """The first node of a grid around the skin, at a multiple of the cell, and how many nodes it has along x, y, z."""
    boxes = np.concatenate([boxes_at(one.matrices[mine], made.skin) for one, made, mine, _ in sources])
    first = np.floor((boxes[:, 0].min(axis=0) - bulge) / cell) - BEYOND
    last = np.ceil((boxes[:, 1].max(axis=0) + bulge) / cell) + BEYOND
    return first * cell, (last - first + 1).astype(np.int64)


def _as_kernels_read(sources, low, count, cell):
    grids, boxes, ways, scales, colours = [], [], [], [], []
    for number, (one, made, mine, sizes) in enumerate(sources):
        square = np.zeros((len(mine), 4, 4))
        square[:, :3] = one.matrices[mine]
        square[:, 3, 3] = 1
        to_source = np.linalg.inv(square)[:, :3]
        # From nodes of the large grid into the world, into the source, to its nodes.
        way = np.empty((len(mine), 3, 4))
        way[:, :, :3] = to_source[:, :, :3] * (cell / made.cell)
        way[:, :, 3] = (np.einsum("cij,j->ci", to_source[:, :, :3], low) + to_source[:, :, 3] - made.low) / made.cell
        reached = (boxes_at(one.matrices[mine], made.box) - low) / cell
        box = np.concatenate([np.floor(reached[:, 0]), np.ceil(reached[:, 1]) + 1], axis=1)
        box = np.clip(box, 0, np.tile(count, 2))
        is_even = sizes[:, 0] < sizes[:, 2] * (1 + 1e-4)
        grids.append(np.full(len(mine), number))
        boxes.append(box.astype(np.int64))
        ways.append(way)
        scales.append(np.where(is_even, sizes[:, 0], -sizes[:, 2]))
        colours.append(np.concatenate([one.colours[mine], one.opacity[mine, None]], axis=1))
    values = [made.values.reshape(-1) for _, made, _, _ in sources]
    inner = [made.colours.reshape(-1, 4) for _, made, _, _ in sources if made.colours is not None]
    sampled = Sampled(
        np.concatenate(values),
        np.concatenate(inner) if inner else np.zeros((0, 4), np.float32),
        np.cumsum([0, *map(len, values)])[:-1],
        np.array([made.values.shape[::-1] for _, made, _, _ in sources]),
    )
    return sampled, Laid(*(np.concatenate(parts) for parts in (grids, boxes, ways, scales, colours)))
