"""The settings that all finishes share."""

from ..schema.setting import choice, only_if, references
from ..schema.settings import Settings


class ActingSettings(Settings):
    """Which figures a finish changes."""

    acts: str = choice("on all", ("on all", "on only", "on all but"))
    """What of the picture it changes: all, or what shows some figures; softness and glow spill over their edges."""
    figures: list = only_if(references("figures"), acts=("on only", "on all but"))
    """The figures that are meant."""
