"""Forms of revolution: profiles turned about the y axis, with sharp edges between smooth pieces."""

import numpy as np

from ..data.mesh import Mesh, Topology
from ..kernels.geometry.place import unit_rows


def revolve(pieces, segments: int, arc_deg: float = 360.0, loops: bool = False) -> Mesh:
    """Turn a profile about the y axis.

    pieces    smooth parts of the profile, each (P, 2) radii and heights, from the top outwards and down; where one
              ends and the next begins in the same place, the edge is sharp and sewn by faces without area
    segments  faces around
    arc_deg   less than 360 leaves the form open at both sides
    loops     the profile's end leads back to its beginning, as in a torus
    Returns   a Mesh with exact normals; wires show each sharp edge once
    """
    is_whole = abs(arc_deg) >= 360
    columns = segments if is_whole else segments + 1
    angles = np.radians(np.clip(arc_deg, -360, 360)) * np.arange(columns) / segments
    around = np.stack([np.sin(angles), np.cos(angles)], axis=1)
    points, normals, levels, rings, count = [], [], [], [], 0
    lengths = [np.linalg.norm(np.diff(piece, axis=0), axis=1).sum() for piece in pieces]
    closing = np.linalg.norm(np.subtract(pieces[0][0], pieces[-1][-1])) if loops else 0.0
    whole, at = max(sum(lengths) + closing, 1e-12), 0.0
    for piece, length in zip(pieces, lengths, strict=True):
        piece = np.asarray(piece, np.float64)
        outward = _profile_normals(piece, loops and len(pieces) == 1)
        along = at + np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(piece, axis=0), axis=1))])
        at += length
        for (radius, height), (out, up), v in zip(piece, outward, 1 - along / whole, strict=True):
            # At a pole all columns are one point.
            size = 1 if radius <= 0 else columns
            turn = around[:size]
            points.append(np.column_stack([turn[:, 0] * radius, np.full(size, height), turn[:, 1] * radius]))
            side = out if radius > 0 else 0.0
            normals.append(
                np.column_stack(
                    [turn[:, 0] * side, np.full(size, up if radius > 0 else np.sign(up)), turn[:, 1] * side]
                )
            )
            levels.append(v)
            rings.append(np.arange(count, count + size))
            count += size
    starts = np.cumsum([0, *(len(piece) for piece in pieces)])
    faces, uvs, outline = [], [], []
    for row in range(len(rings) - 1 + loops):
        following = (row + 1) % len(rings)
        is_seam = row + 1 in starts[1:-1] or (loops and following == 0 and len(pieces) > 1)
        made = _band(rings[row], rings[following], is_whole)
        faces += made
        uvs += [
            _band_uvs(face_row, rings[row], levels[row], levels[following] if following else 0.0, segments)
            for face_row in made
        ]
        if not is_seam:
            outline += _shown(rings[row], rings[following], is_whole)
    for row, ring in enumerate(rings):
        # The second of two rings in one place is shown with the first.
        if len(ring) > 1 and row not in starts[1:-1]:
            outline.append(np.stack([ring, np.roll(ring, -1)], axis=1)[: len(ring) if is_whole else -1])
    sizes = np.concatenate([np.full(len(face), face.shape[1]) for face in faces])
    topology = Topology(
        np.concatenate([[0], np.cumsum(sizes)]),
        np.concatenate([face.ravel() for face in faces]),
        count,
        outline=np.concatenate(outline) if len(pieces) > 1 else None,
    )
    return Mesh(np.concatenate(points), topology, uvs=np.concatenate(uvs), known_normals=np.concatenate(normals))


def _band_uvs(band, upper, above, below, segments):
    """(F·K, 2): how far around and up the corners of a band's (F, K) faces lie; poles in the middle of their face."""
    left = np.arange(len(band)) / segments
    middle, right = left + 0.5 / segments, left + 1 / segments
    if band.shape[1] == 4:
        u, v = (left, left, right, right), (above, below, below, above)
    elif len(upper) == 1:
        u, v = (middle, left, right), (above, below, below)
    else:
        u, v = (left, middle, right), (above, below, above)
    return np.stack([np.stack(u, axis=1), np.broadcast_to(v, band.shape)], axis=-1).reshape(-1, 2)


def _profile_normals(piece, loops):
    if loops:
        tangent = np.roll(piece, -1, axis=0) - np.roll(piece, 1, axis=0)
    else:
        tangent = np.gradient(piece, axis=0) if len(piece) > 2 else np.repeat(np.diff(piece, axis=0), 2, axis=0)
    tangent = unit_rows(tangent)
    return np.stack([-tangent[:, 1], tangent[:, 0]], axis=1)


def _pairs(ring, is_whole):
    following = np.roll(ring, -1)
    return (ring, following) if is_whole or len(ring) == 1 else (ring[:-1], following[:-1])


def _band(upper, lower, is_whole) -> list[np.ndarray]:
    if len(upper) == 1 and len(lower) == 1:
        return []
    left, right = _pairs(upper, is_whole)
    low_left, low_right = _pairs(lower, is_whole)
    if len(upper) == 1:
        return [np.stack([np.full_like(low_left, upper[0]), low_left, low_right], axis=1)]
    if len(lower) == 1:
        return [np.stack([left, np.full_like(left, lower[0]), right], axis=1)]
    return [np.stack([left, low_left, low_right, right], axis=1)]


def _shown(upper, lower, is_whole):
    if len(upper) == 1 and len(lower) == 1:
        return []
    size = max(len(upper), len(lower))
    return [np.stack([np.broadcast_to(upper, size), np.broadcast_to(lower, size)], axis=1)]


def straight(start, end, parts: int) -> np.ndarray:
    """Return (parts + 1, 2) points of a straight piece of a profile."""
    t = np.linspace(0, 1, parts + 1)[:, None]
    return np.asarray(start, np.float64) * (1 - t) + np.asarray(end, np.float64) * t


def bow(middle, radius: float, start_deg: float, end_deg: float, parts: int) -> np.ndarray:
    """Return (parts + 1, 2) points of an arc in a profile; 0° points outwards, 90° up."""
    angles = np.radians(np.linspace(start_deg, end_deg, parts + 1))
    ring = np.asarray(middle) + radius * np.stack([np.cos(angles), np.sin(angles)], axis=1)
    # The axis is exactly at 0, so that poles are single points.
    ring[np.abs(ring[:, 0]) < 1e-9 * max(radius, 1e-9), 0] = 0.0
    return ring
