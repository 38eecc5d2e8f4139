"""Points driven along the directions of a field."""

import numpy as np

from ...schema import Kind, Settings, number, reference
from ...schema.kind import PUSHES


class StreamSettings(Settings):
    strength: float = number(80, soft=(-300, 300), headline=True, per_copy=True)
    """How hard points are driven, in units per second, each second; below 0 the other way."""
    along: str = reference("fields", headline=True)
    """The field whose clauses' directions are followed, as strongly as it is there."""


def stream(places, weights, settings, links) -> np.ndarray:
    """Drive points along the directions of a field, as strongly as it is where they are.

    places   (N, 3) float32; weights (N,) from the force's own field
    Returns  (N, 3) float32, by how much the speed changes each second
    """
    if "along" not in links:
        return np.zeros_like(places)
    along = links["along"]
    strength = np.asarray(settings.strength * weights, np.float32) * along.weigh(places)
    return along.direct(places) * strength[:, None]


KIND = Kind(
    "stream",
    "force",
    StreamSettings,
    stream,
    "Driven along the directions of **{along}** by **{strength}**",
    acts=PUSHES,
    advice=lambda settings: "" if settings.along else "no field is chosen whose directions it could follow",
    icon="stream",
    words="flow field direction current wind",
)
