"""Small scenes that tests are made of."""

import json
from pathlib import Path

from pirouette.assets.library import beside
from pirouette.document import read_scene
from pirouette.document.read import new_scene

ROOT = Path(__file__).resolve().parent.parent
DEMO = ROOT / "studio" / "demo" / "scenes"
DEMOS = sorted(path.stem for path in DEMO.glob("*.json"))
LIBRARY = beside(DEMO / "any.json")
LOOPS = [name for name in DEMOS if json.loads((DEMO / f"{name}.json").read_text("utf-8"))["clock"]["loops"]]


def demo(name: str) -> dict:
    """The JSON of a demo scene."""
    return json.loads((DEMO / f"{name}.json").read_text("utf-8"))


def demo_scene(name: str):
    """A demo scene as it is read, with its assets."""
    return read_scene(demo(name), LIBRARY)


# So many frames and moving points of a simulation are enough to tell one way of computing it from another.
BRIEF_FRAMES = 16
FEW_POINTS = 90


def has_past(name: str) -> bool:
    """Whether frames of a demo scene hang on others before them, so that each by itself takes long."""
    steps = [step.kind for figure in demo_scene(name).figures for step in figure.routine]
    return any(kind.simulation or kind.id == "trail" for kind in steps)


def brief_demo(name: str) -> dict:
    """The JSON of a demo scene; of one that runs in before its first frame, with few points that soon have."""
    raw = demo(name)
    if not any(step.kind.simulation for figure in demo_scene(name).figures for step in figure.routine):
        return raw
    for figure in raw["figures"]:
        for step in figure["routine"]:
            if step["kind"] in ("swarm", "strands"):
                step["settings"]["count"] = min(step["settings"].get("count", FEW_POINTS), FEW_POINTS)
    return {**raw, "clock": {**raw["clock"], "frames": BRIEF_FRAMES}}


def step(kind: str, only_where: str | None = None, *, id: str | None = None, **settings) -> dict:
    """The JSON of a step."""
    found = {"id": id or kind, "kind": kind, "settings": settings}
    return {**found, "only_where": only_where} if only_where else found


def force(kind: str, only_where: str | None = None, **settings) -> dict:
    """The JSON of a force."""
    return step(kind, only_where, **settings)


def pushed(kind: str, *forces, **settings) -> dict:
    """The JSON of a step of a simulation with forces under it."""
    named = [{**one, "id": f"{one['id']}-{number}"} for number, one in enumerate(forces)]
    return {**step(kind, **settings), "forces": named}


def look(kind: str, **settings) -> dict:
    return {"id": kind, "kind": kind, "settings": settings}


def figure(*steps, looks=None, name="Thing", **more) -> dict:
    """The JSON of a figure with a surface, unless other looks are given."""
    return {
        "id": name.lower(),
        "name": name,
        "routine": list(steps),
        "looks": [look("surface")] if looks is None else looks,
        **more,
    }


def document(*figures, fields=(), guides=(), **more) -> dict:
    """The JSON of a scene: a solid black background, sun and sky without shadows, no finish."""
    made = new_scene("Test")
    made["lights"] = [
        {"id": "sun", "name": "Sun", "kind": "sun", "settings": {"brightness": 2, "shadows": False}},
        {"id": "sky", "name": "Sky", "kind": "sky", "settings": {"brightness": 0.6, "shadows": False}},
    ]
    made["frame"] = {"width": 320, "height": 180, "background": "solid", "colour": "#000000"}
    made["figures"] = list(figures)
    made["fields"] = list(fields)
    made["guides"] = list(guides)
    made["finish"] = []
    made.update(more)
    return made


def scene(*figures, **more):
    return read_scene(document(*figures, **more))


def field(name: str, *clauses) -> dict:
    return {"id": name.lower(), "name": name, "clauses": list(clauses)}


def clause(kind: str, joining: dict | None = None, *, id: str | None = None, **settings) -> dict:
    return {"id": id or kind, "kind": kind, "settings": settings, "joining": joining or {}}


def keyed(*pairs, ease="linear", **more) -> dict:
    return {"sort": "keyed", "keys": [{"frame": f, "value": v, "ease": ease} for f, v in pairs], **more}


def swing(middle, amount, **more) -> dict:
    return {"sort": "swing", "middle": middle, "amount": amount, **more}


def formula(text: str, **more) -> dict:
    return {"sort": "formula", "text": text, **more}
