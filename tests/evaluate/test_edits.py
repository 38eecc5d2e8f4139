"""Whatever is edited, what is remembered from before never shows: each demo scene, one value at a time."""

import copy
import random

import numpy as np
import pytest

from pirouette.data import ProblemError
from pirouette.data.key import content_key
from pirouette.document import read_scene
from pirouette.evaluate import Memo, evaluate
from pirouette.evaluate.signature import Signatures
from pirouette.evaluate.still import Still
from tests.scenes import (
    DEMOS,
    LIBRARY,
    brief_demo,
    clause,
    document,
    field,
    figure,
    formula,
    has_past,
    look,
    step,
    swing,
)

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
    known = read_scene(raw, LIBRARY)
    evaluate(known, 7, memo=memo)
    before = told(evaluate(read_scene(raw, LIBRARY), 7, memo=memo))
    paths = [path for path in values_in(raw) if path[0] in PARTS]
    # Of what hangs on other frames, each edit costs all of them twice: one that shows is enough.
    most = 1 if has_past(name) else ENOUGH
    for path in random.Random(name).sample(paths, min(EDITS, len(paths))):
        if shown >= most:
            break
        try:
            fresh = told(evaluate(read_scene(edited(raw, path), LIBRARY), 7, memo=Memo()))
            # As the studio reads it: what is written as before is what it was.
            scene = read_scene(edited(raw, path), LIBRARY, known)
        except ProblemError:
            continue
        assert told(evaluate(scene, 7, memo=memo)) == fresh, path
        shown += fresh != before
        assert told(evaluate(read_scene(raw, LIBRARY), 7, memo=memo)) == before, path
    assert shown


def crates(count, **first):
    made = [{**figure(step("box", id="form"), name=f"Crate {k}"), "id": f"crate-{k}"} for k in range(count)]
    return document({**made[0], **first}, *made[1:])


def test_what_figures_by_themselves_are_is_found_once_however_often_another_is_edited(monkeypatch):
    found = []
    for part in (Still, Signatures):
        inner = part._drawn
        monkeypatch.setattr(part, "_drawn", lambda self, one, inner=inner: found.append(one.id) or inner(self, one))
    memo, known = Memo(), read_scene(crates(6))
    evaluate(known, 0, memo=memo)
    assert len(found) == 12
    del found[:]
    raw = crates(6)
    raw["figures"][0]["routine"][0]["settings"]["width"] = 33
    edited = read_scene(raw, known=known)
    picture = evaluate(edited, 0, memo=memo)
    assert found == ["crate-0"] * 2
    assert np.ptp(picture.drawables[0].mesh.points[:, 0]) == 33
    # Another clock is another scene.
    del found[:]
    evaluate(read_scene({**raw, "clock": {"fps": 30, "frames": 10}}, known=edited), 0, memo=memo)
    assert found == [f"crate-{k}" for k in range(6)]


@pytest.mark.parametrize(
    ("first", "is_alone"),
    [
        ({}, True),
        ({"place": {"position": [swing(0, 9), 0, 0]}}, True),
        ({"place": {"follows": "hook"}}, False),
        ({"place": {"position": [formula("{Hook.position.y}"), 0, 0]}}, False),
        ({"routine": [step("box"), step("shift", "band")]}, False),
        ({"looks": [look("surface", picture="woven-string.png")]}, False),
        ({"cut": {"seen": "only through", "mask": "crate-1"}}, False),
    ],
)
def test_what_refers_to_something_else_is_not_alone(first, is_alone):
    more = {"guides": [{"id": "hook", "name": "Hook"}], "fields": [field("Band", clause("between"))]}
    opened = read_scene({**crates(2, **first), **more}, LIBRARY)
    assert opened.is_alone(opened.figures[0]) == is_alone
    assert opened.is_alone(opened.figures[1])


def test_a_figure_and_a_guide_of_one_id_are_not_alone():
    raw = crates(1)
    raw["guides"] = [{"id": "crate-0", "name": "Hook", "place": {"position": [swing(0, 9), 0, 0]}}]
    opened = read_scene(raw)
    assert opened.figures[0].is_alone
    assert not opened.is_alone(opened.figures[0])
    assert not Still(opened).drawn(opened.figures[0])
