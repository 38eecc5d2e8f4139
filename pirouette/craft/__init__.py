"""What kinds share: their channels, noises, sources, paints, and how copies are changed."""

from .acting import ActingSettings
from .channels import ChannelSettings, change_of
from .follow import FollowSettings
from .noise import NoiseSettings, in_its_space, sample_curl, sample_noise, sample_noise_vectors
from .paint import PaintSettings
from .shining import ShiningSettings, sun_way
from .sources import RepeatSettings, at_places

__all__ = [
    "ActingSettings",
    "ChannelSettings",
    "FollowSettings",
    "NoiseSettings",
    "PaintSettings",
    "RepeatSettings",
    "ShiningSettings",
    "at_places",
    "change_of",
    "in_its_space",
    "sample_curl",
    "sample_noise",
    "sample_noise_vectors",
    "sun_way",
]
