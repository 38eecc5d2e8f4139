"""Points of finer faces: where Catmull and Clark's rule puts the points, edges and faces of a mesh."""

from typing import NamedTuple

import numpy as np

from ..compile import flat_rows, frozen, kernel
from ..threads import in_slices
from ..types import D, F

HALF = D(0.5)


@kernel
def _centres(values, width, offsets, corners, out):
    """values and out flat, `width` numbers to a row; offsets of these faces, with the end of the last one."""
    for f in range(len(offsets) - 1):
        first, last = offsets[f], offsets[f + 1]
        for k in range(width):
            total = D(0.0)
            for c in range(first, last):
                total += D(values[width * corners[c] + k])
            out[width * f + k] = total / D(max(last - first, 1))


@kernel
def _middles(values, width, ends, sides, centres, weights, rounding, out):
    """ends and sides flat, two for each of these edges; an edge without two faces stays in its middle."""
    for e in range(len(ends) // 2):
        a, b = ends[2 * e], ends[2 * e + 1]
        one, other = sides[2 * e], sides[2 * e + 1]
        weight = rounding * HALF * (D(weights[a]) + D(weights[b]))
        for k in range(width):
            middle = HALF * (D(values[width * a + k]) + D(values[width * b + k]))
            if one >= 0 and weight != 0:
                beside = HALF * (centres[width * one + k] + centres[width * other + k])
                middle += HALF * (beside - middle) * weight
            out[width * e + k] = F(middle)


class _Around(NamedTuple):
    """What lies around points: the faces and edges at each of them, by their offsets."""

    face_offsets: np.ndarray
    faces: np.ndarray
    edge_offsets: np.ndarray
    edges: np.ndarray
    ends: np.ndarray  # flat, two for each edge
    sides: np.ndarray  # flat, two for each edge


@kernel
def _corners(values, width, start, around, centres, weights, rounding, out):
    """out flat, for the points from `start` on."""
    face_offsets, faces, edge_offsets, edges, ends, sides = around
    for i in range(len(face_offsets) - 1):
        p = start + i
        weight = rounding * D(weights[p])
        first, last = edge_offsets[i], edge_offsets[i + 1]
        rims = 0
        for e in range(first, last):
            rims += 1 if sides[2 * edges[e]] < 0 else 0
        count = D(last - first)
        for k in range(width):
            value = D(values[width * p + k])
            moved = value
            if last > first and (rims == 0 or rims == 2) and weight != 0:
                along = D(0.0)
                for e in range(first, last):
                    if rims == 0 or sides[2 * edges[e]] < 0:
                        a, b = ends[2 * edges[e]], ends[2 * edges[e] + 1]
                        along += HALF * (D(values[width * a + k]) + D(values[width * b + k]))
                if rims == 2:
                    moved = (along + D(2.0) * value) / D(4.0)
                else:
                    beside = D(0.0)
                    for f in range(face_offsets[i], face_offsets[i + 1]):
                        beside += centres[width * faces[f] + k]
                    beside /= D(max(face_offsets[i + 1] - face_offsets[i], 1))
                    moved = (beside + D(2.0) * along / count + (count - D(3.0)) * value) / count
            out[width * i + k] = F(value + (moved - value) * weight)


@kernel
def _places(places, offsets, start, out):
    """places flat; out flat, for the corners of these faces: four places for each of them."""
    for f in range(len(offsets) - 1):
        first, last = offsets[f], offsets[f + 1]
        for k in range(2):
            centre = D(0.0)
            for c in range(first, last):
                centre += D(places[2 * c + k])
            centre /= D(max(last - first, 1))
            for c in range(first, last):
                here = D(places[2 * c + k])
                after = D(places[2 * (first if c == last - 1 else c + 1) + k])
                before = D(places[2 * (last - 1 if c == first else c - 1) + k])
                at = 8 * (c - start) + k
                out[at] = F(here)
                out[at + 2] = F(HALF * (here + after))
                out[at + 4] = F(centre)
                out[at + 6] = F(HALF * (here + before))


def refined(values, weights, rounding, offsets, corners, uses, ends, sides, edges_at) -> np.ndarray:
    """Return (V + E + F, K) float32: values at the points, then at the middles of edges, then of faces.

    values    (V, K) float32
    weights   (V,) how much of the rounding each point gets, times `rounding`
    offsets   (F + 1,) int32 and `corners`: the faces
    uses      ((V + 1,), (C,)) int32: the faces at each point
    ends      (E, 2) int32: the points of each edge
    sides     (E, 2) int32: the faces at each edge, -1 where there are not two
    edges_at  ((V + 1,), (2E,)) int32: the edges at each point
    """
    values, weights, rounding = frozen(values), frozen(weights), D(rounding)
    count, width = values.shape
    out = np.empty((count + len(ends) + len(offsets) - 1, width), F)
    of_points, of_edges, of_faces = np.split(out, [count, count + len(ends)])
    flat, centres = values.reshape(-1), np.empty((len(of_faces), width), D)
    in_slices(lambda a, b: _centres(flat, width, offsets[a : b + 1], corners, flat_rows(centres, a, b)), len(of_faces))
    of_faces[:] = centres
    centres = frozen(centres.reshape(-1), D)
    flat_ends, flat_sides = ends.reshape(-1), sides.reshape(-1)
    in_slices(
        lambda a, b: _middles(
            flat, width, flat_rows(ends, a, b), flat_rows(sides, a, b), centres, weights, rounding,
            flat_rows(of_edges, a, b),
        ),
        len(ends),
    )  # fmt: skip
    in_slices(
        lambda a, b: _corners(
            flat, width, a,
            _Around(uses[0][a : b + 1], uses[1], edges_at[0][a : b + 1], edges_at[1], flat_ends, flat_sides),
            centres, weights, rounding, flat_rows(of_points, a, b),
        ),
        count,
    )  # fmt: skip
    return out


def refined_places(places, offsets) -> np.ndarray:
    """Return (4C, 2) float32: for each corner its own place, halfway to the next, amid its face, and halfway back.

    places  (C, 2) float32, where in a picture each corner of each face lies
    """
    places, offsets = frozen(places), frozen(offsets, np.int32)
    out = np.empty((4 * len(places), 2), F)
    flat = places.reshape(-1)
    in_slices(
        lambda a, b: _places(flat, offsets[a : b + 1], offsets[a], flat_rows(out, 4 * offsets[a], 4 * offsets[b])),
        len(offsets) - 1,
    )
    return out
