"""A ring with a round section."""

from ...data import Mesh
from ...geometry.revolve import bow, revolve
from ...schema import Kind, Settings, integer, number


class TorusSettings(Settings):
    radius: float = number(40, soft=(1, 300), hard=(1e-3, None), headline=True)
    """From the middle to the middle of the ring."""
    thickness: float = number(20, soft=(0.5, 100), hard=(1e-3, None), headline=True)
    """How thick the ring is."""
    segments: int = integer(64, soft=(3, 200), hard=(3, 10_000), headline=True)
    """Faces around the axis."""
    sides: int = integer(24, soft=(3, 100), hard=(3, 5000), headline=True)
    """Faces around the section."""
    arc: float = number(360, soft=(1, 360), hard=(0.1, 360), unit="deg", winds=True)
    """How much of the round there is."""


def torus(settings) -> Mesh:
    """Make a torus around the y axis.

    Returns a Mesh, closed if it is whole; a ring thicker than its hole is kept from crossing the axis
    """
    thin = min(settings.thickness / 2, settings.radius * 0.999)
    section = bow((settings.radius, 0), thin, 90, 90 - 360, settings.sides)[:-1]
    return revolve([section], settings.segments, settings.arc, loops=True)


KIND = Kind(
    "torus",
    "form",
    TorusSettings,
    torus,
    "Torus of radius **{radius}**, **{thickness}** thick, **{segments}** × **{sides}** parts",
    estimate=lambda settings: (settings.segments + 1) * settings.sides,
    icon="torus",
    words="ring donut doughnut hoop tyre",
)
