"""The settings of the things in a scene that are not kinds: clock, frame, place, camera, joining of clauses."""

from ..craft import FollowSettings
from ..schema import Settings, choice, curve, integer, number, only_if, reference, switch, vector
from ..schema import colour as colour_setting

JOINS = ("plus", "less", "only where", "whichever is more", "whichever is less", "instead", "half and half")
VISIBLE = ("shown", "view only", "render only", "hidden")


class ClockSettings(Settings):
    """How long the scene is and how it runs."""

    fps: float = number(24, soft=(12, 60), hard=(1, 240), headline=True)
    """Frames per second, the frame rate."""
    frames: int = integer(96, soft=(24, 480), hard=(1, 100_000), headline=True)
    """How many frames there are."""
    loops: bool = switch(True, headline=True)
    """Whether the end meets the beginning."""
    settle: int = integer(0, soft=(0, 4), hard=(0, 100), zero="until it repeats")
    """How many loops what sways runs before the first frame; with 0 until it repeats, but never more than four."""


class FrameSettings(Settings):
    """The size of the picture and what is behind everything."""

    width: int = integer(1920, soft=(320, 3840), hard=(16, 8192), headline=True)
    """Width of the picture in pixels."""
    height: int = integer(1080, soft=(320, 2160), hard=(16, 8192), headline=True)
    """Height of the picture in pixels."""
    background: str = choice("solid", ("solid", "gradient", "its sky", "transparent"), headline=True)
    """What is behind everything; *its sky* is what skies and pictures all around show."""
    colour: str = only_if(colour_setting("#141c2b"), background=("solid", "gradient"))
    """The background, or its top."""
    bottom: str = only_if(colour_setting("#0b1019"), background=("gradient",))
    """The foot of a gradient background."""
    haze: float = number(0, soft=(0, 1), hard=(0, 0.999))
    """How much of what is as far away as the *haze distance* is lost in haze or fog, also in mirrors and behind
    what is clear. What is behind everything keeps its colour."""
    haze_distance: float = number(1000, soft=(100, 4000), hard=(1, None))
    """Of what is twice as far away, the same share is lost of what is left, and so on."""
    haze_shows: str = choice("the background", ("the background", "a colour"))
    """What haze shows: things fade into what is behind them, or into a colour; over a transparent background always
    into the colour."""
    haze_colour: str = colour_setting("#8fa0b4")
    """The colour of haze."""
    haze_height: float = number(0, soft=(0, 600), hard=(0, None), zero="at all heights alike")
    """So far above its base haze is thinned out to a third."""
    haze_base: float = number(0, soft=(-500, 500))
    """The height of the world below which haze is as thick as told."""
    bounce: float = number(0, soft=(0, 1), hard=(0, None))
    """How much counts of the light that surfaces throw on each other, once: with 1 as much as there is. Proofs and
    renders show it, but not in mirrors, and not on what is half transparent."""


class PlaceSettings(FollowSettings):
    """Where a thing is."""

    position: list = vector((0, 0, 0), soft=(-500, 500), headline=True)
    """Where it is; from the thing it follows, if any."""
    rotation: list = vector((0, 0, 0), soft=(-360, 360), unit="deg", headline=True)
    """How it is turned, about x, then y, then z."""
    scale: list = vector((1, 1, 1), soft=(0, 3), headline=True)
    """How large it is along each of its axes."""


class OwnTimeSettings(Settings):
    """A figure's own time: all its steps and its place play with it. Keys on `offset` speed it up and slow it down."""

    offset: float = number(0, soft=(-48, 48), unit="frames")
    """How many frames ahead of the scene it is; behind it below 0."""
    speed: float = number(1, soft=(0, 4), hard=(-100, 100))
    """How fast its time runs; whole numbers keep a loop closed."""


class CutSettings(Settings):
    """Where in the picture a figure is seen: everywhere, or as another figure lies before or behind it."""

    seen: str = choice("everywhere", ("everywhere", "only through", "only outside"))
    """Everywhere, only where the camera sees the other figure, or only where it does not. The other may be hidden."""
    mask: str = only_if(reference("figures"), seen=("only through", "only outside"))
    """The other figure; its faces count, whatever its looks and wherever it stands. What is bent or mirrored, and the
    shadow, are of the whole figure."""


class CameraSettings(FollowSettings):
    """From where, and how wide, the scene is seen."""

    position: list = vector((0, 0, 600), soft=(-1500, 1500), headline=True)
    """Where the camera is; from the thing it follows, if any."""
    target: list = vector((0, 0, 0), soft=(-500, 500), headline=True)
    """The place it looks at."""
    measured: str = choice("lens", ("lens", "angle"))
    """By the lens's focal length, or by the angle that the picture spans from side to side."""
    angle: float = only_if(number(54, soft=(10, 120), hard=(0.1, 170), unit="deg", winds=True), measured=("angle",))
    """Angle of view across the picture."""
    lens: float = number(35, soft=(12, 200), hard=(4, 2000), unit="mm", headline=True)
    """Focal length on a picture 36 mm wide; small is wide, large is near."""
    roll: float = number(0, soft=(-180, 180), unit="deg")
    """Turn about the line of sight."""
    aims_at: str = reference("guides", "figures")
    """The guide or figure it looks at, instead of `target`."""
    shutter: float = number(0, soft=(0, 4), hard=(0, 16), unit="frames")
    """For how many frames the shutter is open: what moves leaves a trail of that length. Proofs and renders show it."""
    opens: str = choice("around the frame", ("before the frame", "around the frame", "after the frame"))
    """When the shutter is open, against the frame."""
    opening: float = number(0, soft=(0, 60), hard=(0, None))
    """How wide the lens is open, in scene units, for less depth of field; 0 shows all sharp. Proofs and renders show
    it."""
    blades: int = integer(0, soft=(0, 9), hard=(0, 16), zero="round")
    """How many blades the lens closes with: bright dots out of focus have so many corners; with less than 3 none."""
    focus_on: str = reference("guides", "figures", none="a distance")
    """The guide or figure that is sharp, however it moves."""
    focus: float = only_if(
        number(0, soft=(0, 2000), hard=(0, None), zero="the target", picked="distance"), focus_on=(None,)
    )
    """The distance along the line of sight at which all is sharp; it can be picked in the view."""


class JoiningSettings(FollowSettings):
    """How a clause is joined to those before it, and what carries it."""

    join: str = choice("plus", JOINS)
    """What happens to the weights so far."""
    inside_out: bool = switch(False)
    """Take what the clause leaves out."""
    strength: float = number(1, soft=(0, 1), hard=(0, 1))
    """How much the clause counts."""
    response: list = curve([[0, 0], [1, 1]])
    """Bends the clause's weight."""
    direction: str = choice("none", ("none", "away", "towards", "along", "around"))
    """The direction that the clause gives to steps that ask for one."""
    direction_join: str = choice("plus", ("plus", "across", "instead"))
    """What happens to the directions so far; across is at a right angle to both."""


class AfterSettings(Settings):
    """What a field does with what it has touched."""

    then: str = choice("follows", ("follows", "keeps", "lets go"))
    """Forget at once what is not touched any more, keep it, or let it go slowly."""
    over: float = number(24, soft=(1, 120), hard=(0.5, 1000), unit="frames")
    """How many frames letting go takes."""


THINGS = {
    "clock": ClockSettings,
    "frame": FrameSettings,
    "place": PlaceSettings,
    "own_time": OwnTimeSettings,
    "cut": CutSettings,
    "camera": CameraSettings,
    "joining": JoiningSettings,
    "after": AfterSettings,
}


def describe() -> dict:
    """Return the settings of every thing as plain data."""
    return {name: model.describe() for name, model in THINGS.items()}
