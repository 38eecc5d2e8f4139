"""A cone, pointed or cut off."""

from ...data import Mesh
from ...geometry.revolve import revolve, straight
from ...schema import Kind, Settings, integer, number, switch


class ConeSettings(Settings):
    radius: float = number(50, soft=(1, 300), hard=(1e-3, None), headline=True)
    """Radius at the foot."""
    top: float = number(0, soft=(0, 300), hard=(0, None), headline=True)
    """Radius at the top; 0 is a point."""
    height: float = number(100, soft=(1, 500), hard=(1e-3, None), headline=True)
    """Size along y."""
    segments: int = integer(48, soft=(3, 200), hard=(3, 10_000), headline=True)
    """Faces around."""
    rows: int = integer(8, soft=(1, 100), hard=(1, 10_000))
    """Faces from bottom to top."""
    capped: bool = switch(True)
    """Close the ends."""


def cone(settings) -> Mesh:
    """Make a cone around the y axis.

    Returns a Mesh, closed if it is capped, with sharp edges at its caps
    """
    half = settings.height / 2
    pieces = [straight((settings.top, half), (settings.radius, -half), settings.rows)]
    if settings.capped:
        pieces.append(straight((settings.radius, -half), (0, -half), 1))
        if settings.top > 0:
            pieces.insert(0, straight((0, half), (settings.top, half), 1))
    return revolve(pieces, settings.segments)


KIND = Kind(
    "cone",
    "form",
    ConeSettings,
    cone,
    "Cone of radius **{radius}**, **{height}** high, **{segments}** segments",
    estimate=lambda settings: settings.segments * (settings.rows + 5) + 2,
    icon="cone",
    words="spike funnel spire",
)
