"""Reading a scene that is an edit of a known one: what is written as before is taken from it."""

import copy

import pytest

from pirouette.data import ProblemError
from pirouette.document import read_scene
from pirouette.evaluate import evaluate
from pirouette.formats.packet import encode_packet
from tests.scenes import LIBRARY, demo, document, figure, step


def three():
    return document(*(figure(step("sphere", radius=10 + k), name=f"F{k}", id=f"f{k}") for k in range(3)))


def test_only_what_was_edited_is_read_anew():
    known = read_scene(three())
    raw = three()
    raw["figures"][1]["routine"][0]["settings"]["radius"] = 40
    scene = read_scene(raw, known=known)
    assert [one is other for one, other in zip(scene.figures, known.figures, strict=True)] == [True, False, True]
    assert scene.figures[1].routine[0].settings.resolve().radius == 40
    # One that moves to another place in the list is the same, one that is put in before it is not.
    raw = copy.deepcopy(raw)
    raw["figures"].insert(0, figure(step("box"), name="New", id="new"))
    moved = read_scene(raw, known=scene)
    assert [one in scene.figures for one in moved.figures] == [False, True, True, True]


def test_what_is_wrong_beside_it_is_found_all_the_same():
    known = read_scene(three())
    raw = three()
    raw["figures"].append(copy.deepcopy(raw["figures"][0]))
    with pytest.raises(ProblemError, match="used twice"):
        read_scene(raw, known=known)
    raw["figures"][3].update(id="other", name="F0")
    with pytest.raises(ProblemError, match="another thing called"):
        read_scene(raw, known=known)
    raw = three()
    raw["figures"][0]["routine"].append(step("shift", "gone"))
    with pytest.raises(ProblemError, match="no field"):
        read_scene(raw, known=known)
    for odd in ("all", [5], [{"id": 7}], [{}]):
        with pytest.raises(ProblemError):
            read_scene({**three(), "figures": odd}, known=known)


def test_figures_without_names_are_called_by_their_places():
    raw = three()
    del raw["figures"][2]["name"]
    known = read_scene(raw)
    assert known.figures[2].name == "Figure 3"
    raw = copy.deepcopy(raw)
    raw["figures"].pop(0)
    scene = read_scene(raw, known=known)
    assert scene.figures[0] is known.figures[1]
    assert scene.figures[1].name == "Figure 2"


def test_formulas_that_are_shared_are_read_anew():
    raw = three()
    raw["formulas"] = [{"id": "wide", "name": "Wide", "text": "20"}]
    raw["figures"][0]["routine"][0]["settings"]["radius"] = {"sort": "formula", "shared": "wide"}
    known = read_scene(raw)
    assert known.figures[0].routine[0].settings.resolve().radius == 20
    raw = copy.deepcopy(raw)
    raw["formulas"][0]["text"] = "30"
    assert read_scene(raw, known=known).figures[0].routine[0].settings.resolve().radius == 30


@pytest.mark.parametrize("name", ["wind-map", "pinwheel-wall", "spark-on-the-rails"])
def test_a_demo_scene_is_drawn_as_if_it_had_been_read_alone(name):
    known = read_scene(demo(name), LIBRARY)
    edited = demo(name)
    edited["figures"][0]["place"] = {**edited["figures"][0].get("place", {}), "scale": [1.5, 1, 1]}
    apart, along = read_scene(edited, LIBRARY), read_scene(edited, LIBRARY, known)
    assert sum(one in known.figures for one in along.figures) == len(along.figures) - 1
    assert encode_packet(evaluate(along, 3)) == encode_packet(evaluate(apart, 3))
