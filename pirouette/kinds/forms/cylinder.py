"""A cylinder, closed or open, whole or a part of the round."""

from ...data import Mesh
from ...geometry.revolve import revolve, straight
from ...schema import Kind, Settings, integer, number, switch


class CylinderSettings(Settings):
    radius: float = number(50, soft=(1, 300), hard=(1e-3, None), headline=True)
    """From the axis to the wall."""
    height: float = number(100, soft=(1, 500), hard=(1e-3, None), headline=True)
    """Size along y."""
    segments: int = integer(48, soft=(3, 200), hard=(3, 10_000), headline=True)
    """Faces around."""
    rows: int = integer(1, soft=(1, 100), hard=(1, 10_000))
    """Faces from bottom to top."""
    cap_rings: int = integer(1, soft=(1, 20), hard=(1, 1000))
    """Rings of faces of each cap."""
    capped: bool = switch(True, headline=True)
    """Close both ends."""
    arc: float = number(360, soft=(1, 360), hard=(0.1, 360), unit="deg", winds=True)
    """How much of the round there is."""


def cylinder(settings) -> Mesh:
    """Make a cylinder around the y axis.

    Returns a Mesh, closed if it is capped and whole, with sharp edges at its caps
    """
    radius, half = settings.radius, settings.height / 2
    wall = straight((radius, half), (radius, -half), settings.rows)
    pieces = [wall]
    if settings.capped:
        top = straight((0, half), (radius, half), settings.cap_rings)
        foot = straight((radius, -half), (0, -half), settings.cap_rings)
        pieces = [top, wall, foot]
    return revolve(pieces, settings.segments, settings.arc)


def estimate(settings) -> int:
    return (settings.segments + 1) * (settings.rows + 1 + 2 * (settings.cap_rings + 1))


KIND = Kind(
    "cylinder",
    "form",
    CylinderSettings,
    cylinder,
    "Cylinder of radius **{radius}**, **{height}** high, **{segments}** segments",
    estimate=estimate,
    icon="cylinder",
    words="tube pipe rod drum can",
)
