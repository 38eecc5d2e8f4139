"""How a kind is declared: its settings, its function, its sentence."""

from .channels import ChannelSettings, change_of
from .follow import FollowSettings
from .kind import Kind, Simulation
from .noise import NoiseSettings, in_its_space, sample_noise, sample_noise_vectors
from .paint import PaintSettings
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
from .sources import RepeatSettings, at_places

__all__ = [
    "ChannelSettings",
    "FollowSettings",
    "Kind",
    "NoiseSettings",
    "PaintSettings",
    "RepeatSettings",
    "Resolved",
    "Setting",
    "Settings",
    "Simulation",
    "asset",
    "at_places",
    "change_of",
    "choice",
    "colour",
    "curve",
    "flags",
    "gradient",
    "in_its_space",
    "integer",
    "nodes",
    "number",
    "only_if",
    "read_settings",
    "reference",
    "references",
    "sample_noise",
    "sample_noise_vectors",
    "switch",
    "text",
    "vector",
]
