"""How far things come on the screen from moment to moment, and how far they blur through a lens, in pixels."""

from collections import defaultdict
from itertools import pairwise

import numpy as np

from ..data.picture import Picture, box_corners

# Of a mesh so many points are looked at, and so many of all its copies.
MOST_POINTS, MOST_PLACES = 4000, 60_000
# A mesh of fewer triangles or edges is looked at between its points, too: each side in so many steps.
FEW, STEPS = 400, 8
# What lies beside the picture by this share of it is blurred into it.
BESIDE = 0.25
# What comes so many times farther from one picture to the next than between all others, and so large a share of the
# picture's width, is not on its way but jumps.
JUMPS, JUMP = 8, 0.125


def motion_px(pictures: list[Picture], size) -> float:
    """Return the longest way that anything makes on the screen from picture to picture, in pixels.

    What appears does not count, nor what jumps from one place to another, as from one end of a row to its beginning.
    """
    steps = defaultdict(list)
    for one, two in pairwise(pictures):
        others = {(drawable.figure_id, drawable.part): drawable for drawable in two.shapes}
        for drawable in one.shapes:
            name = drawable.figure_id, drawable.part
            other = others.get(name)
            if other is None or other.matrices.shape != drawable.matrices.shape:
                continue
            corners = box_corners(drawable), box_corners(other)
            steps[(*name, corners[0].shape)].append(_apart(*corners, one.view, two.view, size))
            mesh, later = drawable.mesh, other.mesh
            if len(mesh.points) == len(later.points) and mesh.key != later.key:
                step = max(1, len(mesh.points) // MOST_POINTS)
                here, there = (
                    np.einsum("ij,vj->vi", d.matrices[0, :, :3], d.mesh.points[::step]) + d.matrices[0, :, 3]
                    for d in (drawable, other)
                )
                steps[(*name, here.shape)].append(_apart(here, there, one.view, two.view, size))
    return max((_way(np.stack(ways), JUMP * size[0]) for ways in steps.values()), default=0.0)


def _way(steps, jump) -> float:
    """The longest way of what makes so long steps one after another (S, N), but for jumps, at least so long."""
    if len(steps) > 1:
        next_longest, longest = np.sort(steps, axis=0)[-2:]
        steps = np.where((steps == longest) & (longest > np.maximum(jump, JUMPS * next_longest)), 0, steps)
    return float(steps.sum(axis=0).max(initial=0.0))


def _apart(here, there, view_here, view_there, size) -> np.ndarray:
    """How far each of some places (…, 3) comes on the screen in pixels, flat; 0 where it is not seen."""
    places = []
    for points, view in ((here, view_here), (there, view_there)):
        matrix = view.screen_matrix(*size)
        x, y, w = np.moveaxis(points @ matrix[:, :3].T + matrix[:, 3], -1, 0)
        places.append((x / np.maximum(w, 1e-6), y / np.maximum(w, 1e-6), w > 1e-3))
    (x0, y0, front), (x1, y1, front_too) = places
    width, height = size
    # What is far beside the picture in both may move there as it likes.
    near = (np.abs(x0 - width / 2) < width) & (np.abs(y0 - height / 2) < height)
    near |= (np.abs(x1 - width / 2) < width) & (np.abs(y1 - height / 2) < height)
    counts = front & front_too & near
    return np.where(counts, np.hypot(x1 - x0, y1 - y0), 0.0).ravel()


def lens_blur(picture: Picture, size: tuple[int, int]) -> float:
    """Return the widest circle of confusion of anything that is seen, in pixels across.

    Something at distance d, seen through an opening a that is focused at f, is a / f · |1 − f / d| wide at the
    distance f, and the picture is 2 · f · tangent wide there.
    """
    lens, view = picture.lens, picture.view
    if lens.opening <= 0:
        return 0.0
    distances = np.concatenate([np.zeros(0), *(_distances(drawable, view, size) for drawable in picture.shapes)])
    focal_px = size[0] / 2 / view.tangent
    return float((lens.opening * focal_px * np.abs(1 / lens.focus - 1 / distances)).max(initial=0.0))


def _distances(drawable, view, size) -> np.ndarray:
    """How far off what is seen of a drawable is along the line of sight, at many of its places: (N,)."""
    points = _places(drawable.mesh)
    if len(points) * len(drawable.matrices) > MOST_PLACES:
        world = box_corners(drawable).reshape(-1, 3)
    else:
        matrices = drawable.matrices.astype(np.float64)
        world = (np.einsum("kij,vj->kvi", matrices[:, :, :3], points) + matrices[:, None, :, 3]).reshape(-1, 3)
    matrix = view.screen_matrix(*size)
    x, y, distance = matrix[:, :3] @ world.T + matrix[:, 3:]
    is_before = distance > 1e-3
    for place, side in ((x, size[0]), (y, size[1])):
        is_before &= np.abs(place - distance * (side / 2)) <= distance * (side * (0.5 + BESIDE))
    return distance[is_before]


def _places(mesh) -> np.ndarray:
    """Places all over a mesh: (N, 3)."""
    topology = mesh.topology
    every = max(1, len(mesh.points) // MOST_POINTS)
    places = [mesh.points[::every].astype(np.float64)]
    for joined in (topology.triangles, topology.edges):
        if 0 < len(joined) <= FEW:
            shares = _shares(joined.shape[1])
            places.append((shares @ mesh.points[joined].astype(np.float64)).reshape(-1, 3))
    return np.concatenate(places)


def _shares(corners) -> np.ndarray:
    """How much each corner of an edge or triangle has of places all over it: (N, corners), in all 1."""
    steps = np.stack(np.meshgrid(*[np.arange(STEPS + 1)] * (corners - 1), indexing="ij"), axis=-1)
    steps = steps.reshape(-1, corners - 1)
    steps = steps[steps.sum(axis=1) <= STEPS]
    return np.column_stack([steps, STEPS - steps.sum(axis=1)]) / STEPS
