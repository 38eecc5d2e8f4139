"""Whatever is edited, what is remembered from before never shows: each demo scene, one value at a time."""

import copy
import random

import numpy as np
import pytest

from pirouette.data import ProblemError
from pirouette.data.key import content_key
from pirouette.document import read_scene
from pirouette.evaluate import Memo, evaluate
from pirouette.evaluate.known import Known
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


HOOK = {"id": "hook", "name": "Hook", "place": {"position": [0, 9, 0]}}


@pytest.mark.parametrize(
    ("first", "reaches"),
    [
        ({}, None),
        ({"place": {"position": [swing(0, 9), 0, 0]}}, None),
        ({"place": {"follows": "hook"}}, "guides"),
        ({"place": {"position": [formula("{Hook.position.y}"), 0, 0]}}, "guides"),
        ({"routine": [step("box"), step("shift", "band")]}, "fields"),
        ({"routine": [step("box"), step("cling", onto="crate-1")]}, "figures"),
        ({"looks": [look("surface", picture="woven-string.png")]}, None),
        ({"looks": [{**look("wire"), "only_where": "band"}]}, "fields"),
        ({"cut": {"seen": "only through", "mask": "crate-1"}}, "figures"),
    ],
)
def test_what_a_figure_reaches_is_what_it_is_found_anew_for(first, reaches):
    raw = {**crates(2, **first), "guides": [HOOK], "fields": [field("Band", clause("between"))]}
    known = read_scene(raw, LIBRARY)
    before = found_of(known)
    for family, edit in (
        ("guides", lambda raw: raw["guides"][0]["place"].update(position=[0, 5, 0])),
        ("fields", lambda raw: raw["fields"][0]["clauses"][0].update(settings={"start": 7})),
        ("figures", lambda raw: raw["figures"][1].update(place={"position": [0, 5, 0]})),
    ):
        edited = copy.deepcopy(raw)
        edit(edited)
        along, apart = found_of(read_scene(edited, LIBRARY, known)), found_of(read_scene(edited, LIBRARY))
        assert along == apart
        assert (along != before) == (family == reaches)


def found_of(opened):
    one = opened.figures[0]
    return Signatures(opened).drawn(one), Still(opened).drawn(one)


def test_what_was_found_is_taken_over_where_all_that_it_reaches_is_as_it_was(monkeypatch):
    raw = {**crates(3, place={"follows": "hook"}), "guides": [HOOK]}
    known = read_scene(raw)
    found_of(known)
    found = []
    inner = Known._find
    monkeypatch.setattr(Known, "_find", lambda self, name, *a: found.append(name) or inner(self, name, *a))
    for family, index, is_anew in (("figures", 2, False), ("guides", 0, True), ("figures", 0, True)):
        edited = copy.deepcopy(raw)
        edited[family][index]["place"] = {**edited[family][index].get("place", {}), "position": [3, 4, 5]}
        del found[:]
        found_of(read_scene(edited, known=known))
        assert bool(found) == is_anew, family


def test_a_picture_that_is_replaced_is_no_longer_what_it_was(monkeypatch):
    raw = crates(1, looks=[look("surface", picture="woven-string.png")])
    known = read_scene(raw, LIBRARY)
    before, other = found_of(known), LIBRARY.find("kite-mark.svg")
    assert found_of(read_scene(raw, LIBRARY, known)) == before
    monkeypatch.setattr(type(LIBRARY), "find", lambda self, slug: other)
    assert found_of(read_scene(raw, LIBRARY, known)) != before


def test_a_guide_of_a_figures_id_counts_as_well():
    raw = crates(1)
    known = read_scene(raw)
    assert Still(known).drawn(known.figures[0])
    # They are called alike, so the place of the one is asked for with the other's.
    edited = {**raw, "guides": [{"id": "crate-0", "name": "Hook", "place": {"position": [swing(0, 9), 0, 0]}}]}
    opened = read_scene(edited, known=known)
    assert opened.figures[0] is known.figures[0]
    assert not Still(opened).drawn(opened.figures[0])
