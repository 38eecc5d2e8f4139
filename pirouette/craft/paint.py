"""The settings that every look shares: what its colour is multiplied with, where a field mixes another one in, and how
it lights what is near it."""

from ..data.attribute import ATTRIBUTES
from ..data.texture import BEYOND
from ..schema.setting import asset, choice, colour, curve, gradient, integer, number, only_if, reference, switch, vector
from ..schema.settings import Settings
from .noise import CELLS, PATTERNS

LAID = ("by the form", "along x", "along y", "along z", "around x", "around y", "around z")
DUSK = [{"at": 0, "colour": "#e2553a"}, {"at": 0.5, "colour": "#f4ead7"}, {"at": 1, "colour": "#e2553a"}]


PAINTED = {"paint": ("picture", "gradient")}
PATTERNED = {"paint": ("pattern",)}
NOTHING = "nothing"
IN_SPACE = {**PAINTED, "laid": LAID[1:]}


class PaintSettings(Settings):
    """Settings of what lies over the whole of a figure, and of its second colour."""

    groups = {
        "Paint": (
            *("paint", "painted", "attribute", "picture", "gradient", "pattern", "less"),
            *("pattern_ramp", "pattern_in", "pattern_size", "pattern_stretch", "pattern_detail", "pattern_roughness"),
            *("pattern_seed", "pattern_churn", "pattern_slide", "laid", "lives_in", "span", "across", "up"),
            *("slide_across", "slide_up", "paint_turn", "beyond"),
        ),
        "Light by an attribute": ("light_by", "light_attribute", "light_ramp"),
        "Light on others": ("spill", "spill_strength", "spill_shadows"),
        "Another colour": ("other_colour", "colour_where"),
    }
    paint: str = choice("plain", ("plain", "picture", "gradient", "attribute", "pattern"))
    """What the colour is multiplied with: nothing, a picture or a gradient all over, or a gradient by an attribute, or
    by a pattern of noise."""
    attribute: str = only_if(choice("along", tuple(ATTRIBUTES)), paint=("attribute",))
    """What decides where in the gradient the colour of each point or copy is taken."""
    picture: str = only_if(asset("picture"), paint=("picture",))
    """The picture; where it is transparent the plain colour stays. Over 4096 pixels a side it is made smaller."""
    gradient: list = only_if(gradient(DUSK), paint=("gradient", "attribute", "pattern"))
    """The colours of the gradient, from left to right; of a pattern from its lowest values to its highest."""
    pattern: str = only_if(choice(CELLS, PATTERNS), **PATTERNED)
    """The noise: soft hills, sharp ridges, round billows, cells, the cracks between them, or flat blocks."""
    less: str = only_if(choice(NOTHING, (NOTHING, *PATTERNS)), **PATTERNED)
    """The noise that is taken away from it, of the same size: veins and sparks are where the two are unlike."""
    pattern_ramp: list = only_if(curve([[0, 0], [1, 1]]), **PATTERNED)
    """From the pattern's lowest values to its highest: how far to the right in the gradient. Steep is hard."""
    pattern_in: str = only_if(reference("guides", "figures"), **PATTERNED)
    """The guide or figure that carries, turns and stretches the pattern; without one it stays with each copy."""
    pattern_size: float = only_if(number(60, soft=(1, 400), hard=(1e-3, None)), **PATTERNED)
    """Size of the largest features."""
    pattern_stretch: list = only_if(vector((1, 1, 1), soft=(0.1, 10), hard=(1e-3, None)), **PATTERNED)
    """How much longer the features are along each axis."""
    pattern_detail: int = only_if(integer(1, soft=(1, 4), hard=(1, 6)), **PATTERNED)
    """How many layers of ever finer features are added up (octaves)."""
    pattern_roughness: float = only_if(number(0.5, soft=(0, 1), hard=(0, 1)), **PATTERNED)
    """How strong each finer layer is against the one before."""
    pattern_seed: int = only_if(integer(1, soft=(0, 100), hard=(0, 2**31 - 1)), **PATTERNED)
    """Another seed is another pattern."""
    pattern_churn: float = only_if(number(0, soft=(0, 8), hard=(0, 1000)), **PATTERNED)
    """How many other patterns it passes through: in each loop, or in each second of a scene that does not loop."""
    pattern_slide: list = only_if(vector((0, 0, 0), soft=(-200, 200)), **PATTERNED)
    """How far the pattern travels: in each loop, or in each second of a scene that does not loop."""
    laid: str = only_if(choice("by the form", LAID), **PAINTED)
    """As the form lays it, or seen along an axis or wrapped around one, where the points then are."""
    lives_in: str = only_if(reference("guides", "figures"), **IN_SPACE)
    """The guide or figure in whose space it lies, so that it stays there while the figure moves through it."""
    span: float = only_if(number(200, soft=(10, 1000), hard=(1e-3, None)), lives_in=("chosen",), **IN_SPACE)
    """How much of that space it covers once, its middle in the middle of the guide."""
    across: float = only_if(number(1, soft=(0, 12), hard=(0, None)), **PAINTED)
    """How many times it lies side by side."""
    up: float = only_if(number(1, soft=(0, 12), hard=(0, None)), **PAINTED)
    """How many times it lies one above the other."""
    slide_across: float = only_if(number(0, soft=(-1, 1), unit="widths"), **PAINTED)
    """How many of its widths it is moved to the right; whole numbers look alike."""
    slide_up: float = only_if(number(0, soft=(-1, 1), unit="heights"), **PAINTED)
    """How many of its heights it is moved upwards; whole numbers look alike."""
    paint_turn: float = only_if(number(0, soft=(-360, 360), unit="deg"), **PAINTED)
    """How far it is turned on the figure, around its middle."""
    beyond: str = only_if(choice("repeat", BEYOND), **PAINTED)
    """What lies beyond its edges."""
    light_by: str = choice("evenly", ("evenly", "attribute"))
    """Whether the glow of faces, and the light of lines and dots, is alike all over or goes by an attribute."""
    light_attribute: str = only_if(choice("along", tuple(ATTRIBUTES)), light_by=("attribute",))
    """What decides how much of its light each point or copy gives."""
    light_ramp: list = only_if(curve([[0, 0], [1, 1]]), light_by=("attribute",))
    """How much light there is from the attribute's lowest value to its highest."""
    spill: int = integer(0, soft=(0, 16), hard=(0, 32))
    """How many lamps, spread over the figure, light what is near it with the glow of its faces, or the light of its
    lines or dots: one is enough for a ball, a long tube needs more. With none it lights nothing. What spills light is
    not lit by others that do, nor by itself."""
    spill_strength: float = number(1, soft=(0, 20), hard=(0, None))
    """Factor on that light. With 1 it is as much as is seen of the figure gives: little, where lines are thin."""
    spill_shadows: bool = switch(True)
    """Whether figures throw shadows in that light."""
    other_colour: str = colour("#e2553a")
    """The colour where `colour_where` is."""
    colour_where: str = reference("fields")
    """The field that mixes the other colour in; what glows takes the mixed colour too."""

    @classmethod
    def depends_on_time(cls, resolved) -> bool:
        """True if the pattern of a look with resolved settings is another one at another moment."""
        moves = resolved.pattern_churn > 0 or any(resolved.pattern_slide)
        return bool(resolved.paint == "pattern" and moves)
