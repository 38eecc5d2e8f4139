"""Where to look from so that all of something is in the picture."""

import numpy as np

from ..data.picture import View, box_corners
from ..kernels.geometry.box import box

FROM_ABOVE = (0.35, 0.35, 1.0)


def framing(drawables, way=FROM_ABOVE, lens_mm: float = 60, room: float = 3.6) -> View:
    """Return a view of all drawables, from a way (3,) off their middle.

    room  how far away it is, in radii of the ball around them
    """
    corners = [box_corners(drawable).reshape(-1, 3) for drawable in drawables]
    points = np.concatenate(corners) if corners else np.zeros((1, 3))
    middle = np.add(*box(points)) / 2
    radius = max(float(np.linalg.norm(points - middle, axis=1).max()), 1.0)
    way = np.asarray(way) / np.linalg.norm(way)
    return View.looking(middle + way * radius * room, middle, 0, lens_mm)
