"""Forms of revolution: profiles turned about the y axis, with sharp edges between smooth pieces."""

from threading import Lock

import numpy as np
from cachetools import LRUCache, cached

from ..data.key import content_key
from ..data.mesh import Mesh, Topology
from ..kernels.geometry.place import unit_rows

# So many corners of layouts are kept.
MOST_KNOWN = 1 << 21


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
    lengths = [np.linalg.norm(np.diff(piece, axis=0), axis=1).sum() for piece in pieces]
    closing = np.linalg.norm(np.subtract(pieces[0][0], pieces[-1][-1])) if loops else 0.0
    whole, at = max(sum(lengths) + closing, 1e-12), 0.0
    outward, levels = [], []
    for piece, length in zip(pieces, lengths, strict=True):
        outward.append(_profile_normals(np.asarray(piece, np.float64), loops and len(pieces) == 1))
        along = at + np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(piece, axis=0), axis=1))])
        levels.append(1 - along / whole)
        at += length
    radii, heights = np.concatenate(pieces).astype(np.float64).T
    side, up = np.concatenate(outward).T
    is_pole = radii <= 0
    layout = _layout_of(is_pole, tuple(map(len, pieces)), segments, is_whole, loops)
    side, up = np.where(is_pole, 0.0, side), np.where(is_pole, np.sign(up), up)
    ring, sine, cosine = layout.rings, np.sin(angles)[layout.columns], np.cos(angles)[layout.columns]
    levels = np.concatenate([*levels, [0.0]])
    return Mesh(
        np.stack([sine * radii[ring], heights[ring], cosine * radii[ring]], axis=1),
        layout.topology,
        known_uvs=np.stack([layout.u, levels[layout.levels]], axis=1),
        known_normals=np.stack([sine * side[ring], up[ring], cosine * side[ring]], axis=1),
    )


class _Layout:
    """How the points of a form of revolution are joined, wherever they are.

    topology        of all
    rings, columns  (V,) on which ring, that is point of the profile, and how far around each point lies
    u, levels       (C,) how far around the corners lie, and on which ring's level; after the last ring all begins again
    """

    def __init__(self, is_pole, sizes, segments, is_whole, loops):
        # At a pole all columns are one point.
        counts = np.where(is_pole, 1, segments if is_whole else segments + 1)
        ends = np.cumsum(counts)
        rings = [np.arange(end - count, end) for count, end in zip(counts, ends, strict=True)]
        self.rings = np.repeat(np.arange(len(rings)), counts)
        self.columns = np.arange(ends[-1]) - np.repeat(ends - counts, counts)
        starts = np.cumsum([0, *sizes])
        faces, u, levels, outline = [], [], [], []
        for row in range(len(rings) - 1 + loops):
            following = (row + 1) % len(rings)
            is_seam = row + 1 in starts[1:-1] or (loops and following == 0 and len(sizes) > 1)
            made = _band(rings[row], rings[following], is_whole)
            faces += made
            for band in made:
                across, is_above = _band_places(band, len(rings[row]), segments)
                u.append(across)
                levels.append(np.broadcast_to(np.where(is_above, row, row + 1), band.shape).ravel())
            if not is_seam:
                outline += _shown(rings[row], rings[following])
        for row, ring in enumerate(rings):
            # The second of two rings in one place is shown with the first.
            if len(ring) > 1 and row not in starts[1:-1]:
                outline.append(np.stack([ring, np.roll(ring, -1)], axis=1)[: len(ring) if is_whole else -1])
        corners = np.concatenate([np.full(len(face), face.shape[1]) for face in faces])
        self.topology = Topology(
            np.concatenate([[0], np.cumsum(corners)]),
            np.concatenate([face.ravel() for face in faces]),
            int(ends[-1]),
            key=f"turned-{content_key(is_pole, sizes, segments, is_whole, loops)}",
            outline=np.concatenate(outline) if len(sizes) > 1 else None,
        )
        self.u, self.levels = np.concatenate(u), np.concatenate(levels)


@cached(LRUCache(MOST_KNOWN, lambda layout: len(layout.u)), content_key, Lock())
def _layout_of(*what) -> _Layout:
    """The layout of a form of revolution; one whose size moves is joined as before."""
    return _Layout(*what)


def _band_places(band, upper: int, segments: int):
    """Return (F·K,) how far around the corners of a band's (F, K) faces lie, and (K,) which of them lie on its upper
    ring, which has so many points; poles are in the middle of their face."""
    left = np.arange(len(band)) / segments
    middle, right = left + 0.5 / segments, left + 1 / segments
    if band.shape[1] == 4:
        u, is_above = (left, left, right, right), (True, False, False, True)
    elif upper == 1:
        u, is_above = (middle, left, right), (True, False, False)
    else:
        u, is_above = (left, middle, right), (True, False, True)
    return np.stack(u, axis=1).ravel(), is_above


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


def _shown(upper, lower):
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
