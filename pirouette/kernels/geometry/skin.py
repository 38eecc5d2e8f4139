"""Distances laid into a grid, flowing into each other, and the smooth skin where their sum is nought.

A grid's node (i, j, k) of (nx, ny, nz) has the number i + nx (j + ny k).
Sources: J. F. Blinn, "A generalization of algebraic surface drawing", ACM TOG 1 (1982), for sums that flow together;
S. Gibson, "Constrained elastic surface nets", MICCAI 1998, for a skin with a face around each crossed edge; G. M.
Nielson, "Dual marching cubes", IEEE Visualization 2004, for a point for each loop in a cell, not for each cell; R.
Wenger, "Isosurfaces" (2013), chapter 3, for faces that are ruled the other way.
"""

from functools import cache
from itertools import product
from typing import NamedTuple

import numpy as np

from ..compile import exact_kernel
from ..threads import in_slices

# Layers of a grid that one thread works on at a time.
LAYERS = 4
# Distances from a form that is scaled unevenly are corrected by their slope, which is never taken to be less than this.
LEAST_SLOPE = 0.05
# In cells.
LEAST_FLOW = 1e-3


class Sampled(NamedTuple):
    """Distances from sources, each in a grid around it, as kernels read them.

    values   (N,) float32, all grids one after the other
    colours  (N, 4) float32 colour and opacity there, or (0, 4)
    firsts   (G,) where each grid begins
    shapes   (G, 3) nodes along x, y, z
    """

    values: np.ndarray
    colours: np.ndarray
    firsts: np.ndarray
    shapes: np.ndarray


class Laid(NamedTuple):
    """The places at which sources are laid.

    grids    (C,) which source
    boxes    (C, 6) int64 the nodes that it may reach: low and one beyond high, along x, y, z
    ways     (C, 3, 4) from nodes of the large grid to nodes of the source's
    scales   (C,) from the source's distances to ours; negative where they are scaled unevenly
    colours  (C, 4) factors on colour and opacity
    """

    grids: np.ndarray
    boxes: np.ndarray
    ways: np.ndarray
    scales: np.ndarray
    colours: np.ndarray


class Sums(NamedTuple):
    """What all sources make together at each node: `least` the least distance, `total` of the shares, `mix` of colours.

    mix  (N, 5) float32: weighed colours and opacities, and the weights; or (0, 5)
    """

    least: np.ndarray
    total: np.ndarray
    mix: np.ndarray


@exact_kernel
def _lay(sampled, laid, shape, flow, band, cell, bottom, top, sums):
    nx, ny = shape[0], shape[1]
    coloured = len(sums.mix) > 0
    for c in range(len(laid.grids)):
        box, way, scale = laid.boxes[c], laid.ways[c], laid.scales[c]
        g = laid.grids[c]
        first = sampled.firsts[g]
        mx, my, mz = sampled.shapes[g, 0], sampled.shapes[g, 1], sampled.shapes[g, 2]
        for k in range(max(box[2], bottom), min(box[5], top)):
            for j in range(box[1], box[4]):
                for i in range(box[0], box[3]):
                    x = way[0, 0] * i + way[0, 1] * j + way[0, 2] * k + way[0, 3]
                    y = way[1, 0] * i + way[1, 1] * j + way[1, 2] * k + way[1, 3]
                    z = way[2, 0] * i + way[2, 1] * j + way[2, 2] * k + way[2, 3]
                    if x < 0 or y < 0 or z < 0 or x > mx - 1 or y > my - 1 or z > mz - 1:
                        continue
                    a, b, d = min(int(x), mx - 2), min(int(y), my - 2), min(int(z), mz - 2)
                    u, v, w = x - a, y - b, z - d
                    n = first + a + mx * (b + my * d)
                    up = mx * my
                    v000, v100 = sampled.values[n], sampled.values[n + 1]
                    v010, v110 = sampled.values[n + mx], sampled.values[n + mx + 1]
                    v001, v101 = sampled.values[n + up], sampled.values[n + up + 1]
                    v011, v111 = sampled.values[n + up + mx], sampled.values[n + up + mx + 1]
                    e00, e10 = v000 + (v100 - v000) * u, v010 + (v110 - v010) * u
                    e01, e11 = v001 + (v101 - v001) * u, v011 + (v111 - v011) * u
                    f0, f1 = e00 + (e10 - e00) * v, e01 + (e11 - e01) * v
                    distance = f0 + (f1 - f0) * w
                    if scale > 0:
                        distance *= scale
                    else:
                        # To first order a distance is what a function has there over its slope.
                        sx = (1 - w) * ((v100 - v000) * (1 - v) + (v110 - v010) * v) + w * (
                            (v101 - v001) * (1 - v) + (v111 - v011) * v
                        )
                        sy = (e10 - e00) * (1 - w) + (e11 - e01) * w
                        sz = f1 - f0
                        gx = way[0, 0] * sx + way[1, 0] * sy + way[2, 0] * sz
                        gy = way[0, 1] * sx + way[1, 1] * sy + way[2, 1] * sz
                        gz = way[0, 2] * sx + way[1, 2] * sy + way[2, 2] * sz
                        slope = np.sqrt(gx * gx + gy * gy + gz * gz) / cell
                        distance /= max(slope, -LEAST_SLOPE / scale)
                    if distance >= band:
                        continue
                    node = i + nx * (j + ny * k)
                    sums.least[node] = min(sums.least[node], distance)
                    if flow > 0 and distance < flow:
                        share = 1 - distance / flow
                        sums.total[node] += share * share
                    if coloured:
                        weight = (1 - max(distance, -band) / band) ** 2
                        for n_c in range(4):
                            own = laid.colours[c, n_c]
                            if len(sampled.colours):
                                own *= sampled.colours[n, n_c]
                            sums.mix[node, n_c] += weight * own
                        sums.mix[node, 4] += weight


def laid_together(sampled: Sampled, laid: Laid, shape, flow: float, band: float, cell: float, coloured: bool):
    """Return the (N,) float32 distances from what all sources make together, and the (N, 5) mix of their colours.

    flow   how near two of them have to be to flow into each other, in units; 0 for not at all
    band   how far distances are known
    """
    # What is nothing beside a cell is nothing.
    flow = flow if flow > LEAST_FLOW * cell else 0.0
    count = int(np.prod(shape))
    least = np.full(count, band, np.float32)
    total = np.zeros(count if flow > 0 else 1, np.float32)
    sums = Sums(least, total, np.zeros((count if coloured else 0, 5), np.float32))
    shape = np.asarray(shape, np.int64)
    in_slices(
        lambda a, b: _lay(sampled, laid, shape, flow, band, cell, a, b, sums), int(shape[2]), LAYERS,
    )  # fmt: skip
    if flow > 0:
        flows = total > 0
        least[flows] = flow * (1 - np.sqrt(total[flows]))
    return least, sums.mix


def _edge_number(axis: int, one: int, other: int) -> int:
    """The number of an edge of a cell along an axis, which stands at 0 or 1 along the two axes after it, in turn."""
    return 4 * axis + one + 2 * other


def _loops_of(mask: int, rule: int = 0) -> tuple[list[int], int]:
    """For each of a cell's 12 edges which of the skin's loops around the cell crosses it; -1 for none.

    mask     a bit for each corner (x + 2 y + 4 z) that lies inside
    rule     a bit for each face (2 axis + side): where two of its corners across from each other lie inside, they are
             not cut off by themselves, but the other two are
    Returns  also a bit for each face that one loop crosses twice
    """
    loop = list(range(12))

    def join(one, other):
        one, other = loop[one], loop[other]
        loop[:] = [min(one, other) if name in (one, other) else name for name in loop]

    crossed, doubled = set(), []
    for axis, side in product(range(3), range(2)):
        b, c = (axis + 1) % 3, (axis + 2) % 3
        # The corners of a face in turn, and the edge from each to the next.
        ring = [(0, 0), (1, 0), (1, 1), (0, 1)]
        is_inside = [mask >> (side << axis | p << b | q << c) & 1 for p, q in ring]
        edges = []
        for k in range(4):
            along, at = (b, ring[k][1]) if k % 2 == 0 else (c, ring[k][0])
            other_axis = c if along == b else b
            place = {axis: side, other_axis: at}
            edges.append(_edge_number(along, place[(along + 1) % 3], place[(along + 2) % 3]))
        here = [k for k in range(4) if is_inside[k] != is_inside[(k + 1) % 4]]
        crossed |= {edges[k] for k in here}
        if len(here) == 2:
            join(edges[here[0]], edges[here[1]])
        elif here:
            # Two corners across from each other: each is cut off by itself, as it is in the cell beyond.
            face = 2 * axis + side
            for k in range(4):
                if is_inside[k] != (rule >> face & 1):
                    join(edges[k - 1], edges[k])
            doubled.append((face, edges))
    names = sorted({loop[edge] for edge in crossed})
    twice = sum(1 << face for face, edges in doubled if len({loop[edge] for edge in edges}) == 1)
    return [names.index(loop[edge]) if edge in crossed else -1 for edge in range(12)], twice


class _Cases(NamedTuple):
    """All ways in which corners can lie inside a cell, 256, and its faces can be ruled, 64.

    Where the cell beyond a face that one loop crosses twice has such a loop too, two points would be joined by two
    edges in one place: such a face is ruled the other way in both.
    """

    loops: np.ndarray  # (256, 64, 12) int8: which loop crosses which edge
    counts: np.ndarray  # (256, 64) int8: how many loops there are
    twice: np.ndarray  # (256,) int64: a bit for each face that one loop crosses twice


@cache
def _cases() -> _Cases:
    loops, twice = np.full((256, 64, 12), -1, np.int8), np.zeros(256, np.int64)
    for mask in range(256):
        found, twice[mask] = _loops_of(mask)
        loops[mask] = found
        for rule in range(1, 64):
            if twice[mask] and rule & ~twice[mask] == 0:
                loops[mask, rule] = _loops_of(mask, rule)[0]
    return _Cases(loops, loops.max(axis=2) + np.int8(1), twice)


@exact_kernel
def _mask(values, n, nx, layer):
    found = 0
    for corner in range(8):
        if values[n + (corner & 1) + nx * (corner >> 1 & 1) + layer * (corner >> 2)] < 0:
            found |= 1 << corner
    return found


@exact_kernel
def _rule(values, n, nx, layer, mask, twice):
    """A bit for each face of a cell that is ruled the other way."""
    faces = twice[mask]
    if not faces:
        return 0
    found = 0
    for face in range(6):
        if faces >> face & 1:
            step = 1 if face < 2 else (nx if face < 4 else layer)
            beyond = _mask(values, n + step if face & 1 else n - step, nx, layer)
            if twice[beyond] >> (face ^ 1) & 1:
                found |= 1 << face
    return found


@exact_kernel
def _counted(values, shape, cases, start, stop, points, faces):
    nx, ny = shape[0], shape[1]
    layer = nx * ny
    for k in range(start, stop):
        for j in range(ny - 1):
            for i in range(nx - 1):
                n = i + nx * j + layer * k
                mask = _mask(values, n, nx, layer)
                if mask == 0 or mask == 255:
                    continue
                points[k] += cases.counts[mask, _rule(values, n, nx, layer, mask, cases.twice)]
                here = mask & 1
                faces[k] += j > 0 and k > 0 and here != (mask >> 1 & 1)
                faces[k] += i > 0 and k > 0 and here != (mask >> 2 & 1)
                faces[k] += i > 0 and j > 0 and here != (mask >> 4 & 1)


@exact_kernel
def _vertices(values, shape, cases, start, stop, firsts, numbers, out):
    """A point for each loop around a cell: the mean of where it crosses edges, in nodes."""
    nx, ny = shape[0], shape[1]
    layer = nx * ny
    steps = (1, nx, layer)
    crossed = np.empty(4, np.int64)
    for k in range(start, stop):
        number = firsts[k]
        for j in range(ny - 1):
            for i in range(nx - 1):
                n = i + nx * j + layer * k
                mask = _mask(values, n, nx, layer)
                if mask == 0 or mask == 255:
                    continue
                rule = _rule(values, n, nx, layer, mask, cases.twice)
                count = cases.counts[mask, rule]
                numbers[n] = number
                crossed[:] = 0
                out[number : number + count] = 0
                for edge in range(12):
                    loop = cases.loops[mask, rule, edge]
                    if loop < 0:
                        continue
                    axis = edge // 4
                    one, other = edge & 1, edge >> 1 & 1
                    first = n + one * steps[(axis + 1) % 3] + other * steps[(axis + 2) % 3]
                    here, there = values[first], values[first + steps[axis]]
                    row = number + loop
                    out[row, axis] += here / (here - there)
                    out[row, (axis + 1) % 3] += one
                    out[row, (axis + 2) % 3] += other
                    crossed[loop] += 1
                for loop in range(count):
                    row = number + loop
                    out[row, 0] = i + out[row, 0] / crossed[loop]
                    out[row, 1] = j + out[row, 1] / crossed[loop]
                    out[row, 2] = k + out[row, 2] / crossed[loop]
                number += count


@exact_kernel
def _quads(values, shape, cases, start, stop, firsts, numbers, out):
    """A face around each edge that is crossed, its front towards what is above nought."""
    nx, ny = shape[0], shape[1]
    layer = nx * ny
    steps = (1, nx, layer)
    for k in range(start, stop):
        face = firsts[k]
        for j in range(ny - 1):
            for i in range(nx - 1):
                n = i + nx * j + layer * k
                here = values[n] < 0
                for axis in range(3):
                    at_edge = (axis != 0 and i == 0) or (axis != 1 and j == 0) or (axis != 2 and k == 0)
                    if at_edge or here == (values[n + steps[axis]] < 0):
                        continue
                    one, other = steps[(axis + 1) % 3], steps[(axis + 2) % 3]
                    for corner in range(4):
                        # The four cells around the edge in turn; in each it stands at the opposite side.
                        p, q = (1, 1, 0, 0)[corner], (1, 0, 0, 1)[corner]
                        cell = n - p * one - q * other
                        mask = _mask(values, cell, nx, layer)
                        rule = _rule(values, cell, nx, layer, mask, cases.twice)
                        number = numbers[cell] + cases.loops[mask, rule, 4 * axis + p + 2 * q]
                        out[face, 3 - corner if here else corner] = number
                    face += 1


@exact_kernel
def _at(values, shape, x, y, z):
    nx, ny, nz = shape[0], shape[1], shape[2]
    i, j, k = min(max(int(x), 0), nx - 2), min(max(int(y), 0), ny - 2), min(max(int(z), 0), nz - 2)
    u, v, w = x - i, y - j, z - k
    n = i + nx * (j + ny * k)
    layer = nx * ny
    low = (values[n] * (1 - u) + values[n + 1] * u) * (1 - v) + (values[n + nx] * (1 - u) + values[n + nx + 1] * u) * v
    n += layer
    high = (values[n] * (1 - u) + values[n + 1] * u) * (1 - v) + (values[n + nx] * (1 - u) + values[n + nx + 1] * u) * v
    return low * (1 - w) + high * w


@exact_kernel
def _settle(values, shape, start, stop, points, normals):
    """Move points to where the distance is nought, and find their normals: the way in which it grows."""
    for n in range(start, stop):
        for turn in range(2):
            x, y, z = points[n, 0], points[n, 1], points[n, 2]
            gx = _at(values, shape, x + 0.5, y, z) - _at(values, shape, x - 0.5, y, z)
            gy = _at(values, shape, x, y + 0.5, z) - _at(values, shape, x, y - 0.5, z)
            gz = _at(values, shape, x, y, z + 0.5) - _at(values, shape, x, y, z - 0.5)
            square = gx * gx + gy * gy + gz * gz
            if turn == 0 and square > 1e-12:
                # No further than half a cell, so that faces stay what they are.
                by = min(max(_at(values, shape, x, y, z) / square, -0.5 / np.sqrt(square)), 0.5 / np.sqrt(square))
                points[n, 0], points[n, 1], points[n, 2] = x - gx * by, y - gy * by, z - gz * by
            elif turn == 1:
                length = max(np.sqrt(square), 1e-12)
                normals[n, 0], normals[n, 1], normals[n, 2] = gx / length, gy / length, gz / length


def skin_of(values, shape) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Return the points (V, 3) in nodes, normals (V, 3) and faces (F, 4) of the skin where (N,) distances are nought.

    Nothing below nought may lie at the border of the grid.
    """
    shape = np.asarray(shape, np.int64)
    layers, cases = int(shape[2]) - 1, _cases()
    point_counts, face_counts = np.zeros(layers, np.int64), np.zeros(layers, np.int64)
    in_slices(lambda a, b: _counted(values, shape, cases, a, b, point_counts, face_counts), layers, LAYERS)
    first_points, first_faces = np.cumsum(point_counts) - point_counts, np.cumsum(face_counts) - face_counts
    points, faces = np.empty((point_counts.sum(), 3)), np.empty((face_counts.sum(), 4), np.int64)
    numbers = np.empty(len(values), np.int32)
    in_slices(lambda a, b: _vertices(values, shape, cases, a, b, first_points, numbers, points), layers, LAYERS)
    in_slices(lambda a, b: _quads(values, shape, cases, a, b, first_faces, numbers, faces), layers, LAYERS)
    normals = np.empty_like(points)
    in_slices(lambda a, b: _settle(values, shape, a, b, points, normals), len(points), 4096)
    return points, normals, faces


@exact_kernel
def _mixed(mix, shape, points, start, stop, out):
    nx, ny, nz = shape[0], shape[1], shape[2]
    for p in range(start, stop):
        x, y, z = points[p, 0], points[p, 1], points[p, 2]
        i, j, k = min(max(int(x), 0), nx - 2), min(max(int(y), 0), ny - 2), min(max(int(z), 0), nz - 2)
        u, v, w = x - i, y - j, z - k
        for corner in range(8):
            a, b, c = corner & 1, corner >> 1 & 1, corner >> 2
            share = (u if a else 1 - u) * (v if b else 1 - v) * (w if c else 1 - w)
            for channel in range(5):
                out[p, channel] += share * mix[i + a + nx * (j + b + ny * (k + c)), channel]


def mixed_at(mix, shape, points) -> np.ndarray:
    """Return (V, 4) colours and opacities at points (V, 3) in nodes, of a (N, 5) mix."""
    out = np.zeros((len(points), 5))
    shape = np.asarray(shape, np.int64)
    in_slices(lambda a, b: _mixed(mix, shape, points, a, b, out), len(points), 4096)
    return out[:, :4] / np.maximum(out[:, 4:], 1e-12)
