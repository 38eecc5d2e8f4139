"""Copies in a straight row."""

import numpy as np

from ...craft import RepeatSettings, at_places
from ...data import Copies
from ...schema import Kind, choice, integer, switch, vector

PITCHES = ("from one to the next", "from the first to the last")


class RowSettings(RepeatSettings):
    count: int = integer(10, soft=(1, 100), hard=(1, 1_000_000), headline=True)
    """How many copies there are."""
    apart: list = vector((60, 0, 0), soft=(-300, 300), headline=True)
    """The step along each axis."""
    measured: str = choice(PITCHES[0], PITCHES, headline=True)
    """Whether the step leads to the next copy, or over all of them."""
    centred: bool = switch(True)
    """Put the middle of the row at the origin, or else its first copy."""


def row(shape, settings, links) -> Copies:
    """Repeat a shape in a row.

    Returns Copies in the order of the row
    """
    count = settings.count
    share = np.arange(count, dtype=np.float32) / max(count - 1, 1)
    whole = np.asarray(settings.apart, np.float32) * (1 if settings.measured == PITCHES[1] else count - 1)
    position = (share - (0.5 if settings.centred else 0))[:, None] * whole
    return at_places(shape, settings, links, position, cells=np.stack([share] * 3, axis=1))


KIND = Kind(
    "row",
    "repeat",
    RowSettings,
    row,
    "Repeat in a **row** of **{count}**, **{apart}** **{measured}**",
    estimate=lambda settings: settings.count,
    icon="row",
    words="repeat copies clone array line linear duplicate",
)
