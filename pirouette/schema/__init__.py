"""How a kind is declared: its settings, its function, its sentence."""

from .kind import Kind, Simulation
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
