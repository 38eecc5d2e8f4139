"""Small pictures of what each kind does, made by the renderer for docs/kinds.md and, moving, for the page's finder."""

from pathlib import Path

import numpy as np
from PIL import Image

from . import catalogue
from .assets.library import FolderLibrary, Libraries, shipped
from .docs import picture_name
from .document import read_scene
from .document.read import new_scene
from .evaluate import evaluate
from .formats.png import write_png
from .render import framing, render_scene

SIZE = (240, 150)
# The finder's pictures: how many in a strip, how large, and how many frames it takes until they are as they were.
STRIP_FRAMES, STRIP_SIZE, STRIP_LOOP = 12, (128, 80), 48
COMES_AND_GOES = {"sort": "formula", "text": "0.5 - 0.5 * cos(tau * turn)"}
SWAY = 26
SAMPLES = 16
FRAME = 30
BALL = {"id": "ball", "kind": "sphere", "settings": {"radius": 62, "rings": 24, "segments": 48}}
TILES = [
    {"id": "tile", "kind": "box", "settings": {"width": 26, "height": 26, "depth": 26}},
    {"id": "wall", "kind": "grid", "settings": {"columns": 5, "rows": 3, "layers": 1, "apart": [42, 42, 42]}},
]
HELIX = {"id": "coil", "kind": "helix", "settings": {"turns": 4, "radius": 46, "height": 130}}
SEED = {"id": "seed", "kind": "sphere", "settings": {"radius": 14, "rings": 12, "segments": 24}}
SWARM = {"id": "swarm", "kind": "swarm", "settings": {"count": 160, "life": 30, "speed": 70, "spread": 40}}
# What stands before a step of each group, or of one kind; and settings that show more of some than their defaults do.
BEFORE = {
    "form": [],
    "repeat": [{"id": "one", "kind": "box", "settings": {"width": 22, "height": 22, "depth": 22}}],
    "modulate": TILES,
    "deform": [{"id": "bar", "kind": "box", "settings": {"width": 60, "height": 150, "depth": 60, "parts": 24}}],
    "simulate": [{"id": "ball", "kind": "sphere", "settings": {"radius": 30, "rings": 14, "segments": 28}}],
    "trail": [SEED, SWARM],
    "trim": [HELIX],
    "tube": [HELIX],
    "ribbon": [HELIX],
    "web": [BALL, {"id": "strewn", "kind": "scatter", "settings": {"count": 150}}],
    "struts": [{"id": "ball", "kind": "sphere", "settings": {"radius": 66, "rings": 8, "segments": 14}}],
    "extrude": [{"id": "ball", "kind": "sphere", "settings": {"radius": 56, "rings": 10, "segments": 18}}],
    "smear": [{"id": "ball", "kind": "sphere", "settings": {"radius": 44, "rings": 64, "segments": 128}}],
    "shards": [BALL],
    "meld": [
        {"id": "ball", "kind": "sphere", "settings": {"radius": 34}},
        {"id": "row", "kind": "wheel", "settings": {"count": 5, "radius": 48}},
    ],
    "burst": [BALL, {"id": "broken", "kind": "shards", "settings": {"count": 30, "seed": 4}}],
    "cling": [{"id": "sheet", "kind": "plane", "settings": {"width": 150, "height": 90, "across": 40, "up": 24}}],
    "follow": [{"id": "bar", "kind": "box", "settings": {"width": 300, "height": 14, "depth": 14, "parts": 60}}],
    "morph": [{"id": "ball", "kind": "sphere", "settings": {"radius": 62, "rings": 24, "segments": 48}}],
    "relax": [
        {"id": "box", "kind": "box", "settings": {"width": 100, "height": 100, "depth": 100, "parts": 2}},
        {"id": "finer", "kind": "subdivide", "settings": {"times": 3, "surface": "as it is"}},
    ],
    "points": [{"id": "ball", "kind": "sphere", "settings": {"radius": 62, "rings": 14, "segments": 24}}],
    "build": [{"id": "box", "kind": "box", "settings": {"width": 110, "height": 110, "depth": 110}}],
}
SHOWN = {
    "swarm": {"count": 500, "life": 40, "speed": 60, "size": 5},
    "trail": {"frames": 20, "width": 5},
    "gust": {"strength": 400, "size": 40},
    "pull": {"strength": 240, "to": "ring"},
    "stream": {"strength": 240, "along": "around"},
    "whirl": {"strength": 260, "inwards": 0.3},
    "gravity": {"strength": 160},
    "drag": {"strength": 4},
    "jiggle": {"swings": 1.6, "damping": 0.12},
    "strands": {"count": 260, "length": 60, "parts": 20, "swings": 1.5},
    "smear": {"length": 1.2, "begins_at": 5, "full_at": 200},
    "stick": {"to": "ball"},
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
    "taper": {"size": 0.25},
    "bulge": {"amount": 0.8},
    "shear": {"angle": 35},
    "stretch": {"factor": 0.6},
    "wave": {"height": 14, "length": 70},
    "inflate": {"amount": 6, "roundness": 0.6},
    "rule_points": {"place": [{"sort": "formula", "text": "14 * wave(y / 70)"}, 0, 0]},
    "relax": {"keeps": "nothing", "times": 40},
    "cling": {"onto": "ball", "off": 2},
    "follow": {"curve": "round", "fit": "at its own length"},
    "morph": {"into": "tower", "amount": 0.6, "by": "nearest place"},
    "tie": {"to": ["hand"], "takes": "points within a radius", "radius": 30, "fade": 80},
    "burst": {"distance": 34, "spin": 70},
    "subdivide": {"times": 3},
    "extrude": {"distance": 12, "inset": 0.3},
    "tube": {"width": 13, "thick": "in the middle"},
    "ribbon": {"width": 22},
    "struts": {"width": 5},
    "web": {"reach": 26, "most": 5},
    "shards": {"count": 30, "gap": 5},
    "meld": {"flow": 16},
    "cut": {"by": ["cutter"]},
    "bolt": {"branches": 6, "start": [0, 70, 0], "end": [0, -70, 0]},
    "edges": {"which": "all"},
    "trim": {"start": 0.2, "end": 0.75},
    "lettering": {"text": "Kite", "size": 88, "depth": 18},
    "model": {"file": "paper-kite.obj"},
    "artwork": {"file": "kite-mark.svg", "depth": 14},
    "terrain": {"parts": 60},
    "helix": {},
}
# A guide that has pulled aside what it holds.
HAND = {
    "id": "hand",
    "name": "Hand",
    "place": {
        "position": [
            {"sort": "keyed", "keys": [{"frame": 0, "value": 0}, {"frame": 30, "value": 60}]},
            {"sort": "keyed", "keys": [{"frame": 0, "value": 60}, {"frame": 30, "value": 50}]},
            0,
        ]
    },
}
SWINGS = {"position": [{"sort": "swing", "middle": 0, "amount": 190, "times": 1}, 0, 0]}


PAPER = {"id": "look", "kind": "surface", "settings": {"colour": "#f4ead7", "roughness": 0.7}}
LINE = {"id": "look", "kind": "wire", "settings": {"colour": "#f0a830", "width": 10}}
WAYS = {"id": "look", "kind": "wire", "settings": {"colour": "#f0a830", "unit": "units", "by_width": True}}
DRAWN_AS = {
    "edges": LINE,
    "trim": LINE,
    "web": {"id": "look", "kind": "wire", "settings": {"colour": "#f0a830", "width": 5}},
    "points": {"id": "look", "kind": "dots", "settings": {"colour": "#f0a830", "size": 5}},
    "swarm": {"id": "look", "kind": "dots", "settings": {"colour": "#f0a830", "unit": "units", "by_width": True}},
    "trail": WAYS,
    "strands": WAYS,
}
FACING = ("follow", "bolt", "lettering", "artwork", "circle", "polygon", "path", "wheel")
# A wall of tiles that grow and redden where a field is.
WALL = [
    {"id": "tile", "kind": "box", "settings": {"width": 11, "height": 11, "depth": 11}},
    {"id": "wall", "kind": "grid", "settings": {"columns": 15, "rows": 9, "layers": 1, "apart": [21, 21, 21]}},
    {
        "id": "there",
        "kind": "shift",
        "settings": {"size": 1.85, "colouring": 1, "colour": "#e2553a"},
        "only_where": "field",
    },
]
CLAUSES = {
    "region": {"size": [190, 170, 190]},
    "between": {"start": -60, "end": 60, "fade": 40},
    "angle": {"width": 140, "fade": 60},
    "noise": {"size": 90, "contrast": 2},
    "rule": {"weight": {"sort": "formula", "text": "0.5 + 0.5 * cos(length(x, y) * 5)"}},
    "near": {"within": 14, "fade": 50},
    "order": {"start": 0.3, "end": 0.6, "fade": 0.1},
    "beat": {"times": 3, "phase": 0.62},
    "picture": {"file": "woven-string.png", "size": [300, 190, 1], "gain": 1.6},
}
LOOKS = {
    "surface": {"colour": "#e2553a", "roughness": 0.35},
    "wire": {"colour": "#f0a830", "width": 5},
    "dots": {"colour": "#f0a830", "size": 22},
}
# Lights alone, brighter than among others.
LIGHTS = {
    "sun": {},
    "key": {"position": [-150, 130, 220], "width": 60, "reach": 380},
    "sky": {"brightness": 1.2},
    "surroundings": {"picture": "kite-loft.exr", "turn": 30},
}
# From which way, through which lens and how many radii away each is seen.
VIEWS = {"clause": ((0, 0, 1), 60, 3.2), "light": ((0.12, 0.42, 1), 60, 2.7), "finish": ((0.12, 0.42, 1), 60, 2.7)}
FINISHES = {
    "glow": {"strength": 1.3, "above": 0.7, "size": 0.6},
    "vignette": {"strength": 0.9, "reach": 0.25},
    "exposure": {"stops": -1.5},
    "flare": {"brightness": 1.6, "double_shine": 0.3, "double_size": 24, "length": 60, "size": 9},
    "blur": {"width": 9},
    "fringe": {"amount": 6, "rise": 0.4},
    "colour": {"hue": 150},
    "curves": {"all": [[0, 0], [0.35, 0.12], [0.65, 0.88], [1, 1]]},
    "grain": {"amount": 0.4, "size": 5},
    "fade": {"amount": 0.6, "colour": "#efe3cf"},
}


def _figure(name, routine, looks, **more) -> dict:
    return {"id": name.lower(), "name": name, "routine": routine, "looks": looks, **more}


def _hidden(name, *routine) -> dict:
    return _figure(name, list(routine), [], visible="hidden")


def _ring(radius) -> dict:
    return {"id": "round", "kind": "circle", "settings": {"radius": radius}}


def _scene(kind, figures, **sections) -> dict:
    raw = new_scene(kind.id)
    raw["frame"] = {"width": SIZE[0], "height": SIZE[1], "background": "solid", "colour": "#1d2325"}
    return {**raw, "figures": figures, **sections}


def _step(kind) -> dict:
    step = {"id": "shown", "kind": kind.id, "settings": SHOWN.get(kind.id, {})}
    moves = kind.looks_back or kind.id == "afterimage"
    turned = [-24, -32, 0] if kind.id in ("plane", "disc") else [0, 0, 0] if kind.id in FACING else [24, -32, 0]
    place = {"rotation": turned, **(SWINGS if moves else {})}
    look = DRAWN_AS.get(kind.id, LINE if catalogue.CURVES.get(kind.id) is kind else PAPER)
    shown = _figure("Shown", [*BEFORE.get(kind.id, BEFORE[kind.group]), step], [look], place=place)
    tower = {"id": "tower", "kind": "box", "settings": {"width": 50, "height": 150, "depth": 50}}
    cutter = _hidden("Cutter", {**BALL, "settings": {**BALL["settings"], "radius": 68}})
    cutter["place"] = {"position": [30, 36, 44]}
    others = [_hidden("Ball", BALL), _hidden("Round", _ring(70)), _hidden("Tower", tower), cutter]
    return _scene(kind, [shown, *others], guides=[HAND])


def _force(kind) -> dict:
    """Points flung out of a ball, whose ways a force bends."""
    force = {"id": "shown", "kind": kind.id, "settings": SHOWN[kind.id]}
    swarm = {**SWARM, "forces": [force]}
    trail = {"id": "trail", "kind": "trail", "settings": {"frames": 24, "width": 3}}
    swirl = {"id": "there", "kind": "region", "settings": {"size": [900, 900, 900]}, "joining": {"direction": "around"}}
    return _scene(
        kind,
        [_figure("Shown", [SEED, swarm, trail], [WAYS]), _hidden("Ball", BALL), _hidden("Ring", _ring(60))],
        fields=[{"id": "around", "name": "Around", "clauses": [swirl]}],
    )


def _clause(kind) -> dict:
    clause = {"id": "clause", "kind": kind.id, "settings": CLAUSES.get(kind.id, {})}
    others = []
    if kind.id == "near":
        clause["settings"]["to"] = "round"
        others = [_hidden("Round", _ring(60))]
    if kind.id == "within":
        clause["settings"]["figure"] = "ball"
        others = [_hidden("Ball", {**BALL, "settings": {**BALL["settings"], "radius": 80}})]
    field = {"id": "field", "name": "Field", "clauses": [clause]}
    return _scene(kind, [_figure("Wall", WALL, [PAPER]), *others], fields=[field])


def _look(kind) -> dict:
    ring = {"id": "ring", "kind": "torus", "settings": {"segments": 28, "sides": 12}}
    look = {"id": "look", "kind": kind.id, "settings": LOOKS[kind.id]}
    return _scene(kind, [_figure("Ring", [ring], [look], place={"rotation": [48, 24, 0]})])


def _painted(colour) -> list[dict]:
    return [{**PAPER, "settings": {**PAPER["settings"], "colour": colour}}]


def _still_life() -> list[dict]:
    ball = {**BALL, "settings": {**BALL["settings"], "radius": 40}}
    box = {"id": "box", "kind": "box", "settings": {"width": 54, "height": 54, "depth": 54}}
    floor = {"id": "floor", "kind": "plane", "settings": {"width": 270, "height": 150, "facing": "y"}}
    return [
        _figure("Ball", [ball], [PAPER], place={"position": [-52, 0, 10]}),
        _figure("Box", [box], _painted("#e2553a"), place={"position": [56, -13, 0], "rotation": [0, -28, 0]}),
        _figure("Floor", [floor], _painted("#2f8f9d"), place={"position": [0, -40, 0]}),
    ]


def _light(kind) -> dict:
    light = {"id": "light", "name": "Light", "kind": kind.id, "settings": LIGHTS[kind.id]}
    return _scene(kind, _still_life(), lights=[light])


def _finish(kind) -> dict:
    figures = _still_life()
    glowing = {"colour": "#f0a830", "glow": 1.4, "glow_colour": "#f0a830"}
    figures[0]["looks"] = [{"id": "look", "kind": "surface", "settings": glowing}]
    finish = [{"id": "shown", "kind": kind.id, "settings": FINISHES[kind.id]}]
    if kind.id != "exposure":
        finish.append({"id": "exposure", "kind": "exposure", "settings": {}})
    return _scene(kind, figures, finish=finish)


def picture_scene(kind) -> dict:
    """Return the JSON of the scene that shows a kind."""
    makers = {"force": _force, "clause": _clause, "look": _look, "light": _light, "finish": _finish}
    return makers.get(kind.group, _step)(kind)


def moving_scene(kind) -> dict:
    """Return the JSON of a scene in which a kind comes and goes, or what it makes sways, once in STRIP_LOOP frames."""
    raw = picture_scene(kind)
    raw["clock"] = {"fps": 24, "frames": STRIP_LOOP, "loops": True}
    shown = raw["figures"][0]
    if kind.group in ("modulate", "deform"):
        rule = {"id": "rule", "kind": "rule", "settings": {"weight": COMES_AND_GOES}}
        raw["fields"] = [*raw.get("fields", []), {"id": "coming", "name": "Coming and going", "clauses": [rule]}]
        shown["routine"][-1]["only_where"] = "coming"
    if "position" in shown.get("place", {}):
        # Less far than in a still picture, which shows one moment of it.
        shown["place"]["position"] = [{"sort": "swing", "middle": 0, "amount": 60, "times": 1}, 0, 0]
    elif kind.group not in ("modulate", "deform", "clause", "finish"):
        x, y, z = shown.get("place", {}).get("rotation", (0, 0, 0))
        sway = {"sort": "swing", "middle": y, "amount": SWAY, "times": 1}
        shown["place"] = {**shown.get("place", {}), "rotation": [x, sway, z]}
    return raw


def _ready(folder, assets) -> tuple[Path, Libraries]:
    """A folder that is there, and the files that kinds show."""
    folder = Path(folder)
    folder.mkdir(parents=True, exist_ok=True)
    return folder, Libraries(FolderLibrary(assets), shipped())


def write_strips(folder, assets) -> list[Path]:
    """Write a strip of STRIP_FRAMES pictures beside each other for each kind, the most telling first.

    assets  the folder of the files that kinds show which show files
    """
    folder, library, made = *_ready(folder, assets), []
    for kind in catalogue.every_kind():
        scene = read_scene(moving_scene(kind), library)
        view = framing(evaluate(scene, STRIP_LOOP / 2).drawables, *VIEWS.get(kind.group, ((0, 0, 1), 60, 5.4)))
        frames = (STRIP_LOOP / 2 + np.arange(STRIP_FRAMES) * STRIP_LOOP / STRIP_FRAMES) % STRIP_LOOP
        pictures = [render_scene(scene, frame, STRIP_SIZE, SAMPLES, view=view).pixels() for frame in frames]
        path = folder / f"{Path(picture_name(kind)).stem}.webp"
        Image.fromarray(np.concatenate(pictures, axis=1)[..., :3]).save(path, quality=82, method=6)
        made.append(path)
    return made


def write_pictures(folder, assets) -> list[Path]:
    """Write a PNG for each kind; returns their paths.

    assets  the folder of the files that kinds show which show files
    """
    folder, library, made = *_ready(folder, assets), []
    for kind in catalogue.every_kind():
        path = folder / picture_name(kind)
        scene = read_scene(picture_scene(kind), library)
        view = framing(evaluate(scene, FRAME).drawables, *VIEWS.get(kind.group, ((0, 0, 1), 60, 5)))
        write_png(path, render_scene(scene, FRAME, SIZE, SAMPLES, view=view).pixels())
        made.append(path)
    return made
