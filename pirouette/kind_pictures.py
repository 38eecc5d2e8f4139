"""Small pictures of what each kind of step does, made by the renderer for docs/kinds.md."""

from pathlib import Path

from . import catalogue
from .docs import NEEDS_ASSET
from .document import read_scene
from .document.read import new_scene
from .evaluate import evaluate
from .formats.png import write_png
from .render import framing, render_scene

SIZE = (240, 150)
SAMPLES = 16
FRAME = 30
BALL = {"id": "ball", "kind": "sphere", "settings": {"radius": 62, "rings": 24, "segments": 48}}
TILES = [
    {"id": "tile", "kind": "box", "settings": {"width": 26, "height": 26, "depth": 26}},
    {"id": "wall", "kind": "grid", "settings": {"columns": 5, "rows": 3, "layers": 1, "apart": [42, 42, 42]}},
]
# What stands before a step of each group, and settings that show more of some kinds than their defaults do.
BEFORE = {
    "form": [],
    "repeat": [{"id": "one", "kind": "box", "settings": {"width": 22, "height": 22, "depth": 22}}],
    "modulate": TILES,
    "deform": [{"id": "bar", "kind": "box", "settings": {"width": 60, "height": 150, "depth": 60, "parts": 24}}],
    "build": [{"id": "box", "kind": "box", "settings": {"width": 110, "height": 110, "depth": 110}}],
}
SHOWN = {
    "path": {"points": 120},
    "others": {"figures": ["ball"]},
    "grid": {"columns": 4, "rows": 3, "layers": 2, "apart": [45, 45, 60]},
    "row": {"count": 5, "apart": [44, 0, 0]},
    "wheel": {"count": 12, "radius": 70},
    "along": {"curve": "round", "count": 16},
    "scatter": {"onto": "ball", "count": 40},
    "afterimage": {"count": 7, "apart": 4},
    "shift": {"place": [0, 18, 0], "turn": [0, 35, 20]},
    "shuffle": {"place": [8, 8, 20], "turn": [60, 60, 60], "size": 0.4},
    "drift": {"place": [14, 14, 30], "turn": [80, 80, 80], "size": 90},
    "stagger": {"turn": [0, 90, 90], "size": 1.6},
    "aim": {"at": "ball"},
    "tint": {},
    "hide": {"by": "chance", "level": 0.5},
    "make_room": {"gap": 26},
    "lag": {"behind": 8},
    "bend": {"angle": 110, "along": "y"},
    "twist": {"angle": 200},
    "displace": {"strength": 26, "size": 50},
    "subdivide": {"times": 3},
    "lettering": {"text": "Kite", "size": 88, "depth": 18},
    "model": {},
    "artwork": {},
    "terrain": {"parts": 60},
    "helix": {},
}
SWINGS = {"position": [{"sort": "swing", "middle": 0, "amount": 190, "times": 1}, 0, 0]}


def picture_scene(kind) -> dict:
    """Return the JSON of the scene that shows a kind."""
    raw = new_scene(kind.id)
    raw["frame"] = {"width": SIZE[0], "height": SIZE[1], "background": "solid", "colour": "#1d2325"}
    is_curve = kind in catalogue.CURVES
    paper = {"colour": "#f4ead7", "roughness": 0.7}
    look = (
        {"id": "look", "kind": "wire", "settings": {"colour": "#f0a830", "width": 10}}
        if is_curve
        else {"id": "look", "kind": "surface", "settings": paper}
    )
    step = {"id": "shown", "kind": kind.id, "settings": SHOWN.get(kind.id, {})}
    moves = kind.looks_back or kind.id == "afterimage"
    turned = (
        [-24, -32, 0]
        if kind.id in ("plane", "disc")
        else [0, 0, 0]
        if kind.id in ("lettering", "circle", "polygon", "path", "wheel")
        else [24, -32, 0]
    )
    raw["figures"] = [
        {
            "id": "shown",
            "name": "Shown",
            "place": {"rotation": turned, **(SWINGS if moves else {})},
            "routine": [*BEFORE[kind.group], step],
            "looks": [look],
        },
        {"id": "ball", "name": "Ball", "visible": "hidden", "routine": [BALL], "looks": []},
        {
            "id": "round",
            "name": "Round",
            "visible": "hidden",
            "routine": [{"id": "round", "kind": "circle", "settings": {"radius": 70}}],
            "looks": [],
        },
    ]
    return raw


def write_pictures(folder) -> list[Path]:
    """Write a PNG for each kind of step that can be shown without files of one's own; returns their paths."""
    folder = Path(folder)
    folder.mkdir(parents=True, exist_ok=True)
    made = []
    for kind in catalogue.STEPS:
        if kind.id not in NEEDS_ASSET:
            path = folder / f"{kind.id}.png"
            scene = read_scene(picture_scene(kind))
            view = framing(evaluate(scene, FRAME).drawables, (0, 0, 1), room=5)
            write_png(path, render_scene(scene, FRAME, SIZE, SAMPLES, view=view).pixels())
            made.append(path)
    return made
