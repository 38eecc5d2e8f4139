"""A sector around an axis."""

import numpy as np

from ...kernels.geometry.place import unit_rows
from ...kernels.geometry.weigh import angle_weights
from ...schema import Kind, Settings, choice, number


class AngleSettings(Settings):
    middle: float = number(0, soft=(-360, 360), unit="deg", headline=True)
    """The direction of the sector's middle; keyed from 0 to 360 it goes round."""
    width: float = number(90, soft=(0, 360), hard=(0, 360), unit="deg", winds=True, headline=True)
    """How wide the sector is, its soft edges not counted."""
    fade: float = number(45, soft=(0, 180), hard=(0, 180), unit="deg", winds=True, headline=True)
    """How far the soft edge reaches at each side."""
    axis: str = choice("z", ("x", "y", "z"), headline=True)
    """The axis that the sector turns about."""


def angle(points, settings) -> np.ndarray:
    """Weigh points 1 within a sector around an axis, fading to 0 beside it.

    points   (N, 3) float32, in the clause's space
    Returns  (N,) float32 in 0..1
    """
    return angle_weights(points, "xyz".index(settings.axis), settings.middle, settings.width, settings.fade)


def ways(points, settings):
    """Away from the axis, and along it."""
    axis = "xyz".index(settings.axis)
    away = points.astype(np.float32).copy()
    away[:, axis] = 0
    along = np.zeros_like(away)
    along[:, axis] = 1
    return unit_rows(away), along


KIND = Kind(
    "angle",
    "clause",
    AngleSettings,
    angle,
    "around **{axis}** at **{middle}**, **{width}** wide, fading over **{fade}**",
    ways=lambda points, settings, moment, links: ways(points, settings),
    icon="angle",
    words="radial sector wedge sweep falloff",
)
