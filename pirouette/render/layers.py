"""The layers of a picture beside its light, each named and made only where it is asked for."""

import numpy as np

from ..data.picture import Picture
from ..kernels.compile import frozen
from ..kernels.render.layers import depth_band, motion_band, normal_band, number_band
from .bands import Bands
from .stage import surface_parts, surfaces_of

# name: the shape of a pixel beyond its row and column, and what it says
LAYERS = {
    "depth": ((), "distance from the camera along its line of sight, in scene units; infinite where nothing is"),
    "position": ((3,), "place in the world; 0 where nothing is"),
    "normal": ((3,), "unit vector that stands on the surface, in the world; 0 where nothing is"),
    "motion": ((2,), "how far it has come since half a frame before, times two: pixels per frame, right and down"),
    "ids": ((), "the number of the figure, counted from 1 as in the scene; 0 where nothing is"),
}
# How long before a frame it is looked at for its motion, in frames.
MOTION_SPAN = 0.5


def picture_layers(picture: Picture, size, names, figure_numbers, before: Picture | None = None) -> dict:
    """Return arrays (H, W, …) by name: float32, `ids` int32.

    figure_numbers  id of a figure -> its number
    before          the same half a frame before, for `motion`; where it has other points or copies nothing moves
    Raises          KeyError for a name that is no layer
    """
    width, height = size
    layers = {
        name: np.empty((height, width, *LAYERS[name][0]), np.int32 if name == "ids" else np.float32) for name in names
    }
    drawn = [name for name in names if name != "position"]
    depth = layers.get("depth")
    if "position" in names and depth is None:
        depth = np.empty((height, width), np.float32)
        drawn.append("depth")
    bands = Bands(picture, size, 1)
    surfaces = bands.solid.surfaces
    numbers = frozen([figure_numbers[part.drawable.figure_id] for part in surface_parts(picture, False)], np.int32)
    moved = _same_before(picture, before, surfaces, size) if "motion" in names else None

    def draw(band, listed, seen, rows):
        for name in drawn:
            if name == "depth":
                depth_band(band, seen, depth[rows])
            elif name == "normal":
                normal_band(surfaces, band, listed, seen, layers[name][rows])
            elif name == "ids":
                number_band(surfaces, band, listed, seen, numbers, layers[name][rows])
            elif moved is None:
                layers[name][rows] = 0
            else:
                motion_band(surfaces, moved, band, listed, seen, layers[name][rows])

    bands.each(draw)
    if "motion" in names:
        layers["motion"] /= np.float32(MOTION_SPAN)
    if "position" in names:
        layers["position"][:] = _positions(picture, depth)
    return layers


def _same_before(picture, before, surfaces, size):
    """What stood half a frame before where the surfaces are now; None if they are not the same ones."""
    if before is None:
        return None
    moved = surfaces_of(surface_parts(before, False), before.view.screen_matrix(*size))
    alike = all(
        getattr(moved, name).shape == getattr(surfaces, name).shape
        for name in ("pair_instance", "screen", "px", "local")
    )
    return moved if alike and np.array_equal(moved.local, surfaces.local) else None


def _positions(picture, depth):
    height, width = depth.shape
    rays = picture.view.ray_matrix(width, height)
    y, x = np.mgrid[0:height, 0:width] + 0.5
    way = np.stack([x, y, np.ones_like(x)], axis=-1) @ rays.T
    there = np.where(np.isfinite(depth), depth, 0)[..., None]
    return np.where(np.isfinite(depth)[..., None], picture.view.position + way * there, 0)
