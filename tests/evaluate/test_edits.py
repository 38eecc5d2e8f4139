"""Whatever is edited, what is remembered from before never shows: each demo scene, one value at a time."""

import copy
import random

import pytest

from pirouette.data import ProblemError
from pirouette.data.key import content_key
from pirouette.document import read_scene
from pirouette.evaluate import Memo, evaluate
from tests.scenes import DEMOS, LIBRARY, brief_demo, has_past

# So many are tried at most, until so many have shown.
EDITS, ENOUGH = 10, 4
PARTS = ("figures", "fields", "guides", "clock")


def values_in(part, path=()):
    """Yield the path of every number, switch and colour."""
    items = part.items() if isinstance(part, dict) else enumerate(part) if isinstance(part, list) else ()
    for name, value in items:
        if isinstance(value, (bool, int, float)) or (isinstance(value, str) and value.startswith("#")):
            yield (*path, name)
        yield from values_in(value, (*path, name))


def other(value):
    if isinstance(value, bool):
        return not value
    if isinstance(value, str):
        return "#4c9a2a"
    return value + 1 if isinstance(value, int) else value * 1.25 + 0.125


def edited(raw, path):
    raw = copy.deepcopy(raw)
    parent = raw
    for name in path[:-1]:
        parent = parent[name]
    parent[path[-1]] = other(parent[path[-1]])
    return raw


def told(picture) -> list[str]:
    """What a picture shows, apart from how its parts are named."""
    return [
        content_key(
            drawable.figure_id,
            drawable.mesh.points,
            drawable.mesh.normals,
            drawable.mesh.topology.corners,
            drawable.matrices,
            [
                (
                    look.kind,
                    vars(look.settings),
                    look.tints,
                    look.point_tints,
                    None if look.paint is None else (look.paint.texture.key, look.paint.uvs, look.paint.matrix),
                )
                for look in drawable.looks
            ],
        )
        for drawable in picture.drawables
    ]


@pytest.mark.parametrize("name", DEMOS)
def test_a_scene_that_was_seen_before_shows_every_edit(name):
    raw, memo, shown = brief_demo(name), Memo(), 0
    evaluate(read_scene(raw, LIBRARY), 7, memo=memo)
    before = told(evaluate(read_scene(raw, LIBRARY), 7, memo=memo))
    paths = [path for path in values_in(raw) if path[0] in PARTS]
    # Of what hangs on other frames, each edit costs all of them twice: one that shows is enough.
    most = 1 if has_past(name) else ENOUGH
    for path in random.Random(name).sample(paths, min(EDITS, len(paths))):
        if shown >= most:
            break
        try:
            scene = read_scene(edited(raw, path), LIBRARY)
            fresh = told(evaluate(scene, 7, memo=Memo()))
        except ProblemError:
            continue
        assert told(evaluate(scene, 7, memo=memo)) == fresh, path
        shown += fresh != before
        assert told(evaluate(read_scene(raw, LIBRARY), 7, memo=memo)) == before, path
    assert shown
