"""Flat ribbons along curves."""

import numpy as np

from ...craft.profile import ProfileSettings, curve_points, no_curves, widths
from ...data import Mesh
from ...geometry.sweep import flat_section, swept
from ...schema import Kind, number


class RibbonSettings(ProfileSettings):
    turn: float = number(0, soft=(-180, 180), unit="deg", headline=True)
    """How far it is turned about the curve; at 0 it lies in the plane of a flat curve."""
    winds: float = number(0, soft=(-1080, 1080), unit="deg", winds=True)
    """How much further it is turned at the end of each curve; whole turns on closed ones."""


def ribbon(mesh, weights, settings) -> Mesh:
    """Make flat ribbons along curves, with any width along them; faces that were there before are left out.

    weights  (V,) 0..1 from the step's field: the share of the width at each point
    Returns  a Mesh of one row of faces for each curve
    """
    turn, winds = np.radians(settings.turn), np.radians(settings.winds)
    return swept(mesh, flat_section(), widths(mesh, weights, settings), "open", turn, winds)


KIND = Kind(
    "ribbon",
    "build",
    RibbonSettings,
    ribbon,
    "Ribbon **{width}** wide, wide **{thick}**, turned by **{turn}**",
    estimate=lambda shape: 2 * curve_points(shape)[0],
    advice=no_curves,
    icon="ribbon",
    version=2,
    words="strip band flat streamer",
)
