"""How a kind is declared: its settings, its function, its sentence."""

from .kind import EACH_POINT, MOVES, WHOLE, Kind, Simulation
from .setting import (
    Setting,
    asset,
    choice,
    colour,
    curve,
    flags,
    gradient,
    integer,
    nodes,
    number,
    only_if,
    reference,
    references,
    switch,
    text,
    vector,
)
from .settings import Resolved, Settings, read_settings

__all__ = [
    "EACH_POINT",
    "MOVES",
    "WHOLE",
    "Kind",
    "Resolved",
    "Setting",
    "Settings",
    "Simulation",
    "asset",
    "choice",
    "colour",
    "curve",
    "flags",
    "gradient",
    "integer",
    "nodes",
    "number",
    "only_if",
    "read_settings",
    "reference",
    "references",
    "switch",
    "text",
    "vector",
]
