"""Tubes along curves."""

import numpy as np

from ...craft.profile import ProfileSettings, curve_points, no_curves, widths
from ...data import Mesh
from ...geometry.curve import curves_of
from ...geometry.sweep import round_section, section_of, swept
from ...schema import Kind, choice, integer, number, reference, switch

ENDS = ("round", "flat", "open")


class TubeSettings(ProfileSettings):
    ends: str = choice("round", ENDS, headline=True)
    """How curves that are open end; round ends reach half a width further."""
    sides: int = integer(12, soft=(3, 32), hard=(3, 256))
    """How many sides it has around."""
    smooth: bool = switch(True)
    """Whether the sides flow into each other or meet at edges."""
    section: str = reference("figures")
    """The figure whose first curve is swept instead of a round one, as drawn from the front."""
    turn: float = number(0, soft=(-180, 180), unit="deg")
    """How far the section is turned about the curve."""
    winds: float = number(0, soft=(-1080, 1080), unit="deg", winds=True)
    """How much further it is turned at the end of each curve; whole turns on closed ones."""


def tube(mesh, weights, settings, links) -> Mesh:
    """Sweep a section along curves, with any thickness along them; faces that were there before are left out.

    weights  (V,) 0..1 from the step's field: the share of the width at each point
    Returns  a Mesh, closed if the section is and the ends are not open
    """
    section = round_section(settings.sides, settings.smooth)
    drawn = curves_of(links["section"].mesh) if "section" in links else []
    if drawn:
        section = section_of(*drawn[0])
    turn, winds = np.radians(settings.turn), np.radians(settings.winds)
    return swept(mesh, section, widths(mesh, weights, settings), settings.ends, turn, winds)


def estimate(settings, shape, links) -> int:
    """How many points there will be at most: rings, and their ends."""
    points, curves = curve_points(shape)
    sides = settings.sides * (1 if settings.smooth else 2)
    drawn = curves_of(links["section"].mesh) if "section" in links else []
    if drawn:
        sides = 2 * len(drawn[0][0])
    rows = {"round": 2 * max(3, sides // 4), "flat": 2, "open": 0}[settings.ends]
    return (points + rows * curves) * sides


KIND = Kind(
    "tube",
    "build",
    TubeSettings,
    tube,
    "Tube **{width}** wide, thick **{thick}**, ends **{ends}**",
    estimate=estimate,
    advice=no_curves,
    icon="tube",
    version=2,
    words="sweep pipe tubes thick rope",
)
