"""The phrases that ship: which figures or steps of the demo scenes they are, and what their lines show."""

from dataclasses import dataclass
from pathlib import Path

import studio.demo

FOLDER = Path(studio.demo.__file__).parent / "phrases"
SCENES = Path(studio.demo.__file__).parent / "scenes"


@dataclass(frozen=True)
class Recipe:
    """A phrase of a demo scene.

    steps  the ids of its steps; None for the whole figure
    shows  an address, words, and a range where it is a number
    """

    scene: str
    figure: str
    steps: tuple[str, ...] | None
    name: str
    says: str
    shows: tuple[tuple, ...]

    @property
    def path(self) -> Path:
        return FOLDER / f"{self.name.lower().replace(',', '').replace(' ', '-')}.json"

    @property
    def told(self) -> list[dict]:
        """Return its shown values as a phrase's file has them."""
        return [
            {"value": value, "words": words, **({"range": list(limits)} if limits else {})}
            for value, words, *limits in self.shows
        ]


RECIPES = (
    Recipe(
        "pinwheel-wall", "pinwheels", None, "Wall of pinwheels",
        "Paper pinwheels on a wall, which a gust that wanders over them spins.",
        (
            ("routine/wall/settings/columns", "columns", 1, 24),
            ("routine/wall/settings/rows", "rows", 1, 16),
            ("routine/fold/settings/angle", "folded by", -180, 180),
            ("routine/papers/settings/gradient", "papers"),
        ),
    ),
    Recipe(
        "storm-seed", "seed", None, "Storm seed",
        "A dark ball that swells, with light in the cracks that wander over it.",
        (
            ("routine/sphere/settings/radius", "radius", 20, 300),
            ("routine/swell/settings/strength", "swelling", 0, 80),
            ("routine/swell/settings/size", "swells wide", 20, 400),
        ),
    ),
    Recipe(
        "dye-vat", "dye", None, "Dyed water",
        "A surface of thick liquid with slow swell and fine ripples.",
        (
            ("routine/swell/settings/strength", "swell", 0, 120),
            ("routine/ripple/settings/strength", "ripples", 0, 40),
            ("routine/ripple/settings/size", "ripples wide", 10, 200),
        ),
    ),
    Recipe(
        "paper-rosette", "rosette", None, "Paper rosette",
        "Petals of thin waxy paper out of a round terrain, twisted open and lit from within.",
        (
            ("routine/terrain/settings/height", "petals", 0, 300),
            ("routine/twist/settings/angle", "twisted by", -360, 360),
        ),
    ),
    Recipe(
        "streamers", "knot", None, "Streaming knot",
        "A knot of strands that hang, sway and stream in the wind.",
        (
            ("routine/strands/settings/count", "strands", 10, 2000),
            ("routine/strands/settings/length", "long", 10, 400),
            ("routine/sphere/settings/radius", "knot", 4, 120),
        ),
    ),
    Recipe(
        "net-of-links", "threads", None, "Linked lanterns",
        "Lanterns that drift, and threads between those that are near each other.",
        (
            ("/figures/lanterns/routine/strewn/settings/count", "lanterns", 10, 400),
            ("routine/web/settings/reach", "linked within", 10, 200),
            ("routine/web/settings/most", "links each", 1, 12),
        ),
    ),
    Recipe(
        "neon-hut", "neon-body", None, "Neon frame",
        "The edges of a box as glowing tubes.",
        (
            ("routine/box/settings/width", "width", 10, 500),
            ("routine/box/settings/height", "height", 10, 500),
            ("routine/neon/settings/width", "thick", 0.5, 20),
        ),
    ),
    Recipe(
        "programme-titles", "title", None, "Hung title",
        "Letters that drop one by one onto a string, and dangle.",
        (
            ("routine/lettering/settings/text", "says"),
            ("routine/lettering/settings/size", "size", 10, 300),
            ("routine/jiggle/settings/swings", "swings", 0.2, 6),
        ),
    ),
    Recipe(
        "programme-titles", "title", ("drop", "stagger", "jiggle"), "Drop in, one by one",
        "Copies or letters fall into their places one after the other, and swing there.",
        (
            ("routine/stagger/settings/time", "first to last", -96, 96),
            ("routine/jiggle/settings/swings", "swings", 0.2, 6),
            ("routine/jiggle/settings/damping", "calmed by", 0, 1),
        ),
    ),
    Recipe(
        "mark-reveal", "words", ("rise", "stagger"), "Rise, one by one",
        "Copies or letters rise and unfold into their places one after the other.",
        (("routine/stagger/settings/time", "first to last", -96, 96),),
    ),
    Recipe(
        "pinwheel-wall", "pinwheels", ("spin", "tilt", "sway"), "Woken by a gust",
        "Copies that a wandering gust spins and tilts, and that sway when it is gone.",
        (
            ("routine/tilt/settings/turn/0", "tilted by", -180, 180),
            ("routine/sway/settings/churn", "restless", 0, 8),
        ),
    ),
    Recipe(
        "wind-map", "net", ("wind",), "Wind through a net",
        "A slow wind that pushes points up and down as it wanders.",
        (
            ("routine/wind/settings/strength", "lifts", 0, 300),
            ("routine/wind/settings/size", "wide", 20, 1000),
            ("routine/wind/settings/churn", "restless", 0, 8),
        ),
    ),
    Recipe(
        "neon-hut", "neon-roof", ("edges", "neon"), "Neon edges",
        "The edges of any form as tubes.",
        (
            ("routine/edges/settings/angle", "sharper than", 0, 180),
            ("routine/neon/settings/width", "thick", 0.5, 20),
        ),
    ),
    Recipe(
        "paper-burst", "sheet", ("shards", "burst", "settle"), "Break and burst",
        "A form breaks into pieces, which fly off where something passes.",
        (
            ("routine/shards/settings/count", "pieces", 4, 400),
            ("routine/burst/settings/distance", "flung", 0, 400),
            ("routine/burst/settings/spin", "spin", 0, 720),
        ),
    ),
    Recipe(
        "echoing-kite", "kite", ("afterimage",), "Fading echoes",
        "Copies at earlier moments that fade and shrink behind what moves.",
        (
            ("routine/afterimage/settings/count", "echoes", 1, 40),
            ("routine/afterimage/settings/apart", "frames apart", 0.5, 24),
            ("routine/afterimage/settings/fade", "fade", 0, 1),
        ),
    ),
    Recipe(
        "static-on-the-string", "spark", ("along", "thick", "trim"), "Crackle and vanish",
        "Two restless waves along curves, which grow and are gone again.",
        (
            ("routine/along/settings/height", "sideways", 0, 40),
            ("routine/along/settings/length", "wave long", 5, 200),
        ),
    ),
)  # fmt: skip
