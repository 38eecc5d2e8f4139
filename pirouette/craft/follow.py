"""The settings that everything shares that may be carried along by another thing."""

from ..schema.setting import choice, flags, number, only_if, reference, switch
from ..schema.settings import Settings

PARTS = ("position", "rotation", "scale")


class FollowSettings(Settings):
    """What carries a thing, by its place or along its curve, wholly or in part, at once or late."""

    follows: str = reference("guides", "figures")
    """The guide or figure that carries it along."""
    takes: list = only_if(flags(PARTS, PARTS), follows=("chosen",))
    """Which of that thing's position, rotation and scale carry it."""
    rides: str = only_if(choice("its place", ("its place", "its curve")), follows=("chosen",))
    """Carried by the place of that thing, or along the curve of that figure."""
    along: float = only_if(number(0, soft=(0, 1), unit="rounds"), rides=("its curve",), follows=("chosen",))
    """How far along the curve it is, from its start at 0 to its end at 1; a closed curve goes on from there."""
    aligned: bool = only_if(switch(True), rides=("its curve",), follows=("chosen",))
    """Turn with the curve, x along it."""
    lag: float = only_if(number(0, soft=(0, 48), hard=(0, 10_000), unit="frames"), follows=("chosen",))
    """How many frames behind it follows."""
