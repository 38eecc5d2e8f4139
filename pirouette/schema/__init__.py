"""How a kind is declared: its settings, its function, its sentence."""

from .kind import Kind
from .noise import NoiseSettings, sample_noise, sample_noise_vectors
from .setting import Setting, choice, colour, curve, gradient, integer, number, reference, switch, text, vector
from .settings import Resolved, Settings, read_settings

__all__ = [
    "Kind",
    "NoiseSettings",
    "Resolved",
    "Setting",
    "Settings",
    "choice",
    "colour",
    "curve",
    "gradient",
    "integer",
    "number",
    "read_settings",
    "reference",
    "sample_noise",
    "sample_noise_vectors",
    "switch",
    "text",
    "vector",
]
