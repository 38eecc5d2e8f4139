"""The line through the middle of a filled outline.

Source: H. Blum, "A transformation for extracting new descriptors of shape" (1967), for the medial axis; taken here
from the Voronoi diagram of points along the outline.
"""

import numpy as np

# scipy loads its parts when they are first used.
import scipy

from .curve import resampled

SAMPLES = 600


def centre_lines(polygon) -> list[np.ndarray]:
    """Return the longest line (N, 2) through the middle of a polygon of rings, its outer one first; [] if too thin."""
    lengths = [np.linalg.norm(np.roll(ring, -1, axis=0) - ring, axis=1).sum() for ring in polygon]
    total = max(sum(lengths), 1e-12)
    points = np.concatenate(
        [
            resampled(np.column_stack([ring, np.zeros(len(ring))]), True, max(int(SAMPLES * length / total), 8))[:, :2]
            for ring, length in zip(polygon, lengths, strict=True)
        ]
    )
    try:
        diagram = scipy.spatial.Voronoi(points)
    except scipy.spatial.QhullError:
        return []
    inside = _inside(diagram.vertices, polygon)
    pairs = np.array([pair for pair in diagram.ridge_vertices if -1 not in pair], int).reshape(-1, 2)
    pairs = pairs[inside[pairs].all(axis=1)]
    if not len(pairs):
        return []
    steps = np.linalg.norm(diagram.vertices[pairs[:, 0]] - diagram.vertices[pairs[:, 1]], axis=1)
    size = len(diagram.vertices)
    graph = scipy.sparse.coo_matrix((np.maximum(steps, 1e-12), (pairs[:, 0], pairs[:, 1])), (size, size)).tocsr()
    _, part = scipy.sparse.csgraph.connected_components(graph, directed=False)
    main = np.bincount(part[pairs[:, 0]]).argmax()
    start = pairs[part[pairs[:, 0]] == main][0, 0]
    # The two ends that are furthest apart: the furthest from anywhere, and the furthest from that.
    first = _furthest(graph, start)
    away, before = scipy.sparse.csgraph.dijkstra(graph, directed=False, indices=first, return_predecessors=True)
    at = int(np.where(np.isfinite(away), away, -1).argmax())
    line = []
    while at >= 0:
        line.append(diagram.vertices[at])
        at = before[at]
    return [np.array(line)] if len(line) > 1 else []


def _furthest(graph, start):
    away = scipy.sparse.csgraph.dijkstra(graph, directed=False, indices=start)
    return int(np.where(np.isfinite(away), away, -1).argmax())


def _inside(points, polygon):
    """Whether points lie inside of all rings together, by the parity of a ray to the right."""
    crossed = np.zeros(len(points), int)
    for ring in polygon:
        ends = np.roll(ring, -1, axis=0)
        for (ax, ay), (bx, by) in zip(ring, ends, strict=True):
            spans = (ay > points[:, 1]) != (by > points[:, 1])
            with np.errstate(divide="ignore", invalid="ignore"):
                x = ax + (points[:, 1] - ay) / (by - ay) * (bx - ax)
            crossed += spans & (points[:, 0] < x)
    return crossed % 2 == 1
