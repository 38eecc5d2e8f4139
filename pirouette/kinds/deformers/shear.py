"""A shape that leans."""

import numpy as np

from ...craft.extent import AXES, ENDS, Extent, ExtentSettings
from ...schema import Kind, choice, number


class ShearSettings(ExtentSettings):
    angle: float = number(25, soft=(-60, 60), hard=(-85, 85), unit="deg", headline=True, per_copy=True)
    """How far it leans over."""
    towards: str = choice("x", AXES, headline=True)
    """The axis along which points move."""
    axis: str = choice("y", AXES, headline=True)
    """The axis that leans over."""
    stays: str = choice("the middle", ENDS)
    """What stays in place."""


def shear(points, weights, settings) -> np.ndarray:
    """Lean a shape over: points move along one axis the more, the further along another one they are.

    points   (N, 3) float32, scene units; not changed
    weights  (N,) float32 in 0..1, from the step's field
    Returns  (N, 3) float32; the volume stays the same
    """
    if settings.towards == settings.axis or not len(points):
        return points
    extent = Extent.of(points, settings)
    _, within, _, _ = extent.along(settings.axis, settings.stays)
    moved = extent.points.copy()
    moved[:, AXES.index(settings.towards)] += within * np.tan(np.radians(settings.angle)) * weights
    return extent.back(moved)


def advice(shape, settings, links) -> str:
    """Say why it can have no effect, or nothing."""
    same = settings.towards == settings.axis
    return (
        f"it leans {settings.axis} towards {settings.towards}, which is the same; choose another axis" if same else ""
    )


KIND = Kind(
    "shear",
    "deform",
    ShearSettings,
    shear,
    "Shear **{axis}** by **{angle}** towards **{towards}**",
    advice=advice,
    icon="shear",
    words="slant lean skew tilt",
)
